//! Closures are held long enough to be seen, open with their burst, and jaws open with their vowels: on the frames that
//! are shown, 24 a second.
#![allow(clippy::unwrap_used)]

use crate::common::{bram, lines, lively, others, performance};
use jam_face::findings::{Looked, Rule, findings};
use jam_score::{Control, Diction, FrameRate, Line, Phone, Seconds};
use std::collections::BTreeMap;

const FRAME: f64 = 1.0 / 24.0;

fn is_seal(phone: Phone) -> bool {
    matches!(phone, Phone::P | Phone::B | Phone::M)
}

/// Two frames wherever a closure with the halves of its neighbours lasts 70 ms and more (the issue's own figure; two
/// frames are what the trade holds a closed mouth for, common practice). What is left out is counted: neighbours whose
/// lips must be elsewhere, at the teeth or open for the tongue.
#[test]
fn closures_show_on_two_frames_and_open_with_their_burst() {
    let (mut seals, mut ones, mut short, mut late) = (0, Vec::new(), 0, Vec::new());
    for (line, heard) in lines() {
        let timing = line.timing.as_ref().unwrap();
        let face = performance(line, heard, FrameRate::FILM);
        let shut = |k: i64| face.value(Control::LipsClose, Seconds(k as f64 * FRAME)) >= 0.98;
        for (i, sound) in timing.sounds.iter().enumerate().filter(|(_, s)| is_seal(s.phone)) {
            let (before, after) = (i.checked_sub(1).map(|i| &timing.sounds[i]), timing.sounds.get(i + 1));
            let elsewhere = |p: Phone| matches!(p, Phone::F | Phone::V | Phone::Th | Phone::Dh);
            let half = |s: Option<&jam_score::Sound>| match s {
                Some(s) if elsewhere(s.phone) => 0.0,
                Some(s) => 0.5 * s.span.length().0,
                None => 0.0,
            };
            seals += 1;
            if sound.span.length().0 + half(before) + half(after) < 0.07 {
                short += 1;
                continue;
            }
            // The run of shut frames that touches the sound.
            let (first, last) =
                ((sound.span.start.0 / FRAME).floor() as i64 - 1, (sound.span.end.0 / FRAME).ceil() as i64);
            let run = (first..=last).filter(|k| shut(*k)).count();
            let place = || format!("{} at {:.2} of “{}”: {run}", sound.phone, sound.span.start.0, line.text);
            if run < 2 {
                ones.push(place());
            }
            // Open within a frame of the burst: half the seal is gone.
            if let Some(release) = sound.release
                && !after.is_some_and(|s| is_seal(s.phone) || s.phone == Phone::Sil)
            {
                let burst = sound.span.start.0 + f64::from(release) * sound.span.length().0;
                let open = face.value(Control::LipsClose, Seconds(burst + FRAME));
                if open > 0.5 {
                    late.push(format!("{} still {open:.2}", place()));
                }
            }
        }
    }
    println!(
        "{seals} closures, {short} too short, {} on one frame {ones:#?}, {} late {late:#?}",
        ones.len(),
        late.len()
    );
    assert!(seals > 40 && short * 10 < seals);
    assert!(ones.is_empty() && late.is_empty());
}

/// Jaw beats as a number: so many openings a second at most, counted on the curve in any second.
#[test]
fn the_jaw_opens_as_often_as_is_said() {
    let mut table = Vec::new();
    for beat in [1.5, 2.0, 3.0, 4.0, 5.0] {
        let mut most = 0;
        for (line, heard) in lines() {
            let line = Line { diction: Diction { beat, ..line.diction }, ..line.clone() };
            let face = performance(&line, heard, FrameRate::FILM);
            let openings = jam_face::openings(face.curve(Control::JawOpen).unwrap().iter().copied(), 0.10);
            let within = |from: f64| openings.iter().filter(|t| (from..from + 1.0).contains(*t)).count();
            most = most.max(openings.iter().map(|t| within(*t)).max().unwrap_or(0));
        }
        table.push((beat, most));
    }
    println!("beats a second, most openings in one: {table:?}");
    assert!(table.iter().all(|(beat, most)| *most as f64 <= beat.ceil()));
}

/// On lines that the jaw's shares were not tried on. Mouths of speakers open at 2 to 7 Hz (Chandrasekaran and others 2009);
/// a model of the vocal tract whose targets were fitted to pictures of a speaker has 13 of 100 of its jaw's movement at 4 to
/// 8 Hz and next to nothing beyond (measured once on ten lines with the same times).
#[test]
fn the_jaw_is_as_lively_as_a_speaker_s_and_does_not_flap() {
    let all: Vec<_> = others().iter().filter_map(|(line, heard)| lively(line, heard)).collect();
    let mean = |band: usize| all.iter().map(|l| l.bands[band]).sum::<f64>() / all.len() as f64;
    println!("4 to 8 Hz {:.3}, over 8 Hz {:.3}", mean(2), mean(3));
    assert!(all.len() == 10 && (0.04..0.16).contains(&mean(2)) && mean(3) < 0.01);
    assert!(all.iter().all(|l| l.most <= 5));
}

/// How often each rule speaks on the demo's lines as the machine makes them, without hands: what it says there is a false
/// alarm, or a fault of ours. Doubtful words are the recogniser's.
#[test]
fn the_check_list_is_quiet_on_lines_that_are_as_they_should_be() {
    let (wiring, mouth) = bram();
    let mut said: BTreeMap<&str, Vec<String>> = BTreeMap::new();
    for (line, heard) in lines() {
        let timing = line.timing.as_ref().unwrap();
        let face = performance(line, heard, FrameRate::FILM);
        let looked = Looked {
            line,
            timing,
            heard,
            face: &face,
            wiring: &wiring,
            mouth: Some(&mouth),
            rate: FrameRate::FILM,
        };
        for found in findings(&looked) {
            said.entry(found.rule.name())
                .or_default()
                .push(format!("{:.2} {} “{}”", found.span.start.0, found.says, line.text));
        }
    }
    println!("{said:#?}");
    said.remove(Rule::Doubtful.name());
    assert!(said.is_empty(), "{said:?}");
}
