//! What went out comes back in: the controls behind outputs are found again.
#![allow(clippy::unwrap_used)]

use crate::common;
use crate::common::lines;
use jam_demo::CHARACTERS;
use jam_desk::{Bringing, Op, Played, bring};
use jam_formats::back::{self, Reading, Source, TakenFor, Values};
use jam_formats::deliver::{Delivery, FileKind};
use jam_formats::glb::ClipOptions;
use jam_rig::propose::capture_face;
use jam_rig::{Told, Wiring};
use jam_score::keys::TimedKey;
use jam_score::layers::Mood;
use jam_score::touch::Key;
use jam_score::{Control, Frame, FrameGrid, FrameRate, Line, Moment, On, OwnFrames, Pass, Seconds, Touch};
use proptest::prelude::*;
use std::sync::Arc;

fn played(line: usize, wiring: &Wiring) -> Played {
    let (own, heard) = &lines()[line];
    let own = Arc::new(common::under(own, Some(&Mood::NAMED[1])));
    let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };
    Played::new(&own, wiring, grid, Arc::new(heard.clone()), None).unwrap()
}

/// The farthest any told control is from where it was, as a share of its reach, both as the face shows them: what lips,
/// teeth and tongue cannot do at once withdraws a part of what is asked.
fn off(told: &Told, wiring: &Wiring, faces: &[Vec<f32>]) -> (f32, Control, usize) {
    let mut worst = (0.0, Control::JawOpen, 0);
    for (f, face) in faces.iter().enumerate() {
        let mut back = face.clone();
        told.controls.iter().zip(&told.faces[f]).for_each(|(c, v)| back[*c as usize] = *v);
        let (shown, back) = (wiring.shown(face), wiring.shown(&back));
        // Where an output stands at its limit only “at least this much” is known.
        let cut = |c: Control| {
            let beyond =
                |o: &jam_rig::Output| o.asked(&shown) < o.low - 1e-6 || o.asked(&shown) > o.high + 1e-6;
            wiring.outputs.iter().any(|o| o.is_fed_by(c) && beyond(o))
        };
        for c in told.controls.iter().filter(|c| !cut(**c)) {
            let (low, high) = c.range();
            let apart = (back[*c as usize] - shown[*c as usize]).abs() / high.max(-low);
            if apart > worst.0 {
                worst = (apart, *c, f);
            }
        }
    }
    worst
}

/// Its own clip: what the face shows of every control that it can tell comes back within a thousandth of its reach; what
/// it cannot tell is named, and left out of the lines that are told here, as it shows through others.
#[test]
fn the_controls_behind_a_characters_own_outputs_are_found_again() {
    let bram = CHARACTERS[0].read().unwrap();
    let bell = CHARACTERS[2].read().unwrap();
    let all = [
        ("Bram", CHARACTERS[0].wiring(&bram).unwrap(), 53, 1e-3),
        ("52 coefficients", capture_face(), 40, 1e-3),
        // A lid of one joint closes, widens and squints by it: the strongest of them is told, with what the others do.
        ("the bell", CHARACTERS[2].wiring(&bell).unwrap(), 12, 5e-2),
    ];
    for (name, wiring, least, most) in all {
        let outputs: Vec<usize> = (0..wiring.outputs.len()).collect();
        let silent = wiring.read_back(&outputs, &[]);
        assert!(silent.controls.len() >= least, "{name}: {}", silent.controls.len());
        for line in [3, 9] {
            let mut faces = played(line, &wiring).sampled().faces;
            for face in &mut faces {
                silent.unknown.iter().for_each(|c| face[*c as usize] = 0.0);
                // One shape for both sides shows their mean.
                for c in &silent.controls {
                    let Some(other) = c.other_side() else { continue };
                    if wiring.outputs.iter().any(|o| o.is_fed_by(*c) && o.is_fed_by(other)) {
                        let mean = 0.5 * (face[*c as usize] + face[other as usize]);
                        (face[*c as usize], face[other as usize]) = (mean, mean);
                    }
                }
            }
            let rows: Vec<Vec<f32>> = faces.iter().map(|f| wiring.apply(f)).collect();
            let told = wiring.read_back(&outputs, &rows);
            let worst = off(&told, &wiring, &faces);
            let residual = told.residuals.iter().map(|r| r.max).fold(0.0, f32::max);
            eprintln!("{name}: {} told; off {worst:?}, residual {residual:.1e}", told.controls.len());
            assert!(worst.0 <= most, "{name}: {worst:?}");
        }
    }
}

/// A line with what an operation lays on it.
fn with(line: &Line, op: &Op) -> Line {
    let Op::Paste { time, curves, named } = op else { panic!("{op:?}") };
    let timing = line.timing.as_ref().unwrap();
    let mut line = line.clone();
    let pass = named.as_ref().map(|n| Pass { id: 1, name: n.name.clone(), free: n.free });
    for (i, c) in curves.iter().enumerate() {
        let key = |k: &TimedKey| Key {
            moment: Moment::at(timing, Seconds(time + k.time)),
            value: k.value,
            shape: k.shape,
        };
        line.touches.push(Touch {
            id: 10_000 + i as u32,
            control: c.control,
            on: On::Span,
            laid: c.laid,
            fade_in: Seconds(0.0),
            fade_out: Seconds(0.0),
            amount: c.amount,
            keys: c.keys.iter().map(key).collect(),
            pass: pass.clone(),
            aside: None,
        });
    }
    line
}

/// The controls of a source's moments, through the wiring where they are outputs.
fn told(source: Source, wiring: &Wiring) -> (Vec<f64>, Vec<Control>, Vec<Vec<f32>>) {
    match source.values {
        Values::Controls(controls, rows) => (source.times, controls, rows),
        Values::Outputs(outputs, rows) => {
            let told = wiring.read_back(&outputs, &rows);
            (source.times, told.controls, told.faces)
        }
    }
}

/// Our own files, read again and laid on a line that has none of it, show what they showed: clip and curves within a
/// thousandth of each control's reach, tables as exactly as they are written.
#[test]
fn our_own_files_come_back_as_they_went_out() {
    let bram = CHARACTERS[0].read().unwrap();
    let wiring = CHARACTERS[0].wiring(&bram).unwrap();
    let own = OwnFrames { before: 5, ..OwnFrames::default() };
    let (plain, heard) = &lines()[3];
    let plain = Line { frames: own, ..plain.clone() };
    let felt = common::under(&plain, Some(&Mood::NAMED[1]));
    let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };
    let play = |line: &Line| {
        Played::new(&Arc::new(line.clone()), &wiring, grid, Arc::new(heard.clone()), None).unwrap()
    };
    let was = play(&felt);
    let sampled = was.sampled();
    let delivery = Delivery {
        name: "line",
        line: &felt,
        timing: felt.timing.as_ref().unwrap(),
        wiring: &wiring,
        sampled: &sampled,
        character: Some((&bram, "Bram")),
        sound: None,
    };
    let file = |kind: FileKind, ending: &str| {
        let files = delivery.files(kind, &ClipOptions::default()).unwrap();
        files.into_iter().find(|f| f.name == format!("line.{ending}")).unwrap().bytes
    };
    let faces = sampled.faces.clone();
    for (kind, ending, taken_for) in [
        (FileKind::Glb, "glb", TakenFor::Itself),
        (FileKind::Curves, "curves.json", TakenFor::Itself),
        (FileKind::Csv, "controls.csv", TakenFor::Itself),
        (FileKind::Csv, "csv", TakenFor::Outputs),
        (FileKind::CsvLong, "long.csv", TakenFor::Itself),
    ] {
        let reading = Reading { taken_for, ..Reading::default() };
        let source = back::read(&file(kind, ending), &wiring, &reading).unwrap();
        let (times, controls, rows) = told(source, &wiring);
        // A clip has no channels of what rests throughout.
        assert!(controls.len() >= 50, "{ending}: {}", controls.len());
        assert!(
            (times[0] + 5.0 / 24.0).abs() < 1e-5,
            "{ending}: the handle lies before the sound: {}",
            times[0]
        );
        let op = bring(plain.timing.as_ref().unwrap(), grid, &times, &controls, &rows, &Bringing::default())
            .unwrap();
        let back = play(&with(&plain, &op)).sampled().faces;
        // From the sound's start on: a line has no keys before it.
        for (f, (is, was)) in back.iter().zip(&faces).enumerate().skip(5) {
            let (is, was) = (wiring.shown(is), wiring.shown(was));
            for c in &controls {
                let (low, high) = c.range();
                let apart = (is[*c as usize] - was[*c as usize]).abs() / high.max(-low);
                assert!(apart <= 1e-3, "{ending}: {} in frame {f} is {apart} off", c.name());
            }
        }
    }
    let source = back::read(&file(FileKind::Bvh, "bvh"), &wiring, &Reading::default()).unwrap();
    let Values::Controls(names, rows) = source.values else { panic!("turns of the head are controls") };
    assert_eq!(names, [Control::HeadYaw, Control::HeadPitch, Control::HeadRoll]);
    for (row, face) in rows.iter().zip(&faces) {
        assert!(names.iter().zip(row).all(|(c, v)| (v - face[*c as usize]).abs() < 1e-3));
    }
    // What was captured elsewhere: shut lips are shut here, too.
    let source = back::read(&file(FileKind::Capture, "capture.csv"), &wiring, &Reading::default()).unwrap();
    assert_eq!(source.what, "a recorded capture");
    let (_, controls, rows) = told(source, &wiring);
    let lids = controls.iter().position(|c| *c == Control::LidCloseLeft).unwrap();
    assert!(
        rows.iter()
            .zip(&faces)
            .all(|(r, f)| (r[lids] - wiring.shown(f)[Control::LidCloseLeft as usize]).abs() < 2e-3)
    );
}

/// Source: the spreadsheets of half of Europe, which part columns by semicolons and decimals by commas (common practice).
#[test]
fn tables_come_in_with_other_signs_and_say_what_is_wrong() {
    let wiring = Wiring::default();
    let read = |text: &str, rate: Option<&str>| {
        let rate = rate.map(|r| r.parse().unwrap());
        back::read(text.as_bytes(), &wiring, &Reading { rate, ..Reading::default() })
    };
    let rows = |text: &str, rate: Option<&str>| {
        let source = read(text, rate).unwrap();
        let Values::Controls(controls, rows) = source.values else { panic!("controls") };
        (source.times, controls, rows, source.ignored)
    };
    let plain = rows("frame,seconds,jaw_open,cape\r\n1001,0,0.5,1\r\n1002,0.25,0.75,2\r\n", None);
    assert_eq!(
        plain,
        (vec![0.0, 0.25], vec![Control::JawOpen], vec![vec![0.5], vec![0.75]], vec!["cape".to_string()])
    );
    let other = rows("\u{feff}frame;seconds;jaw_open;cape\n1001;0;0,5;1\n1002;0,25;0,75;2\n", None);
    assert_eq!(other, plain);
    assert_eq!(rows("time\tjaw_open\tcape\n0,25\t0,75\t2\n0\t0,5\t1\n", None), plain, "in order of time");
    let frames = rows("frame,jaw_open,cape\n1001,0.5,1\n1007,0.75,2\n", Some("24"));
    assert_eq!(frames, plain, "an uneven column of frames is taken as it is");
    let says = |text: &str| read(text, None).unwrap_err().to_string();
    assert!(says("frame,jaw_open\n1,0.5\n").contains("how many frames a second"));
    assert!(says("jaw_open\n0.5\n").contains("neither seconds nor frames"));
    assert!(says("seconds,cape\n0,0.5\n").contains("nothing in it is known"));
    assert!(says("seconds,jaw_open\nsoon,0.5\n").contains("is no time"));
    assert!(
        says("{\"format\": \"other/1\", \"frame_rate\": {\"num\": 24, \"den\": 1}, \"first_frame\": 1}")
            .contains("other/1")
    );
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, ..ProptestConfig::default() })]

    /// Wherever a closure lies that lasts for one picture of a source with more pictures a second, it is on one of our
    /// frames, at any speed and offset; and elsewhere the source shows at its own times.
    #[test]
    fn no_closure_is_lost_between_two_frames(
        rate in prop::sample::select(vec![(30_000, 1001), (60_000, 1001), (60, 1), (120, 1), (240, 1)]),
        own in prop::sample::select(vec![(24, 1), (24_000, 1001), (25, 1)]),
        at in 0.3f64..1.7,
        offset in -0.2f64..0.4,
        speed in prop::sample::select(vec![0.5, 1.0, 2.0]),
    ) {
        let timing = lines()[3].0.timing.clone().unwrap();
        let step = f64::from(rate.1) / f64::from(rate.0);
        let shut = (at / step).round() as usize;
        let times: Vec<f64> = (0..(2.4 / step) as usize).map(|i| i as f64 * step).collect();
        let rows: Vec<Vec<f32>> =
            (0..times.len()).map(|i| vec![f32::from(u8::from(i == shut)), 0.3 + 0.2 * (times[i] as f32 * 3.0).sin()]).collect();
        let controls = [Control::LipsClose, Control::JawOpen];
        let grid = FrameGrid { rate: FrameRate::new(own.0, own.1).unwrap(), first: Frame(1001) };
        let how = Bringing { offset, speed, ..Bringing::default() };
        let op = bring(&timing, grid, &times, &controls, &rows, &how).unwrap();
        let Op::Paste { time: start, curves, .. } = op else { panic!("a pass") };
        let value = |control: Control, time: f64| {
            let curve = curves.iter().find(|c| c.control == control).unwrap();
            jam_score::keys::through(&curve.keys, time - start)
        };
        let due = times[shut] / speed + offset;
        if due > 0.1 && due < timing.end().0 {
            let frames = (0..200).map(|f| grid.time_of(Frame(1001 + f)).0);
            let seen = frames.filter(|t| value(Control::LipsClose, *t) >= 0.9).count();
            prop_assert!(seen >= 1, "the closure at {due} s is not seen");
        }
        for i in (0..times.len()).step_by(7) {
            let ours = times[i] / speed + offset;
            if ours > start && ours < timing.end().0 {
                prop_assert!((value(Control::JawOpen, ours) - f64::from(rows[i][1])).abs() < 1e-4);
            }
        }
    }
}
