//! A recording in which several speak, as lines of one each: cut in time where one stops and the next begins, with the
//! times, corrections and layers that it has. Nothing of the sound is copied: each line names the stretch that is its own.

use crate::refusal::Refusal;
use crate::scene::{Heard, SceneOp, change_scene, new_scene};
use jam_score::{
    Frame, FrameGrid, Ids, Line, Listen, Noise, OwnFrames, Phone, Scene, Seconds, Sound, Span, Speech,
    Timing, Word, speeches,
};
use jam_voice::text;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

/// How much louder somebody is in their own microphone than in another one, dB, at least: microphones stand three times
/// as far from another mouth as from their own (the 3:1 rule of recording), and sound falls by 20 dB in ten times the way.
const OWN_MICROPHONE: f64 = 9.5;

/// The recording that is made lines of.
pub struct Together<'a> {
    /// Of the line.
    pub grid: FrameGrid,
    /// Samples a second, and how many there are.
    pub rate: u32,
    pub samples: usize,
    pub channels: u32,
    /// The energy of a channel over a stretch, any unit.
    pub energy: &'a dyn Fn(u32, Span) -> f64,
    /// The key of the character who is called so.
    pub called: &'a dyn Fn(&str) -> Option<String>,
}

/// A line of one speaker.
#[derive(Debug, Clone, PartialEq)]
pub struct Part {
    pub document: Line,
    pub ids: Ids,
    /// Which samples of the whole recording it is.
    pub samples: Range<usize>,
    /// When it begins in the whole.
    pub start: Seconds,
}

/// Which words each speech has, by their places.
fn words_of(line: &Line, timing: &Timing, said: &[Speech<'_>]) -> Result<Vec<Range<usize>>, Refusal> {
    let mut at = 0;
    let mut own = Vec::with_capacity(said.len());
    for speech in said {
        // Where nothing is said, there is no word.
        let count = text::words_in(speech.text, line.language.as_ref()).map_or(0, |s| s.words.len());
        own.push(at..at + count);
        at += count;
    }
    if at == timing.words.len() {
        return Ok(own);
    }
    let says = "Its words are not those of its text any more; time it again, then make lines of it.";
    Err(Refusal::new("text", "words_differ", says))
}

/// The channel in which somebody is heard and others hardly are.
fn own_channel(whole: &Together<'_>, said: &[Span]) -> Option<u32> {
    let energy = |channel: u32| said.iter().map(|span| (whole.energy)(channel, *span)).sum::<f64>();
    let mut all: Vec<(f64, u32)> = (0..whole.channels).map(|c| (energy(c), c)).collect();
    all.sort_by(|a, b| b.0.total_cmp(&a.0));
    let [(loudest, channel), (next, _), ..] = all[..] else { return None };
    (loudest > 0.0 && 10.0 * (loudest / next).log10() >= OWN_MICROPHONE).then_some(channel)
}

/// The times of some words of a whole, of a stretch of it, from its start on: what others say in it is silence.
fn times_of(whole: &Timing, words: Range<usize>, stretch: Span, ids: &mut Ids) -> Timing {
    let shifted = |span: Span| {
        let end = span.end.min(stretch.end) - stretch.start;
        Span { start: (span.start.max(stretch.start) - stretch.start).min(end), end }
    };
    let mut sounds: Vec<Sound> = Vec::new();
    for sound in &whole.sounds {
        if sound.span.end <= stretch.start || sound.span.start >= stretch.end {
            continue;
        }
        let span = shifted(sound.span);
        let is_own = sound.word.is_none_or(|w| words.contains(&(w as usize)));
        let word = sound.word.filter(|_| is_own).map(|w| w - words.start as u32);
        let own = if is_own { sound.clone() } else { Sound::new(Phone::Sil, span) };
        match sounds.last_mut().filter(|last| own.phone == Phone::Sil && last.phone == Phone::Sil) {
            Some(last) => last.span.end = span.end,
            None => {
                // What is shorter now is another pause: what lay in the whole one finds its place by its neighbours.
                let id = if span.length() < sound.span.length() || !is_own { ids.give() } else { own.id };
                sounds.push(Sound { id, span, word, ..own });
            }
        }
    }
    let inside = |noise: &&Noise| {
        let middle = noise.span.middle();
        middle >= stretch.start && middle < stretch.end
    };
    let noises = whole.noises.iter().filter(inside);
    Timing {
        words: whole.words[words].iter().map(|w| Word { span: shifted(w.span), ..w.clone() }).collect(),
        sounds: sounds.into(),
        noises: noises.map(|n| Noise { span: shifted(n.span), ..n.clone() }).collect(),
        ..whole.clone()
    }
}

/// Makes lines of one speaker each of a line whose text names who says what. A pause between two is parted in its middle,
/// on a frame, so that each line begins on one.
///
/// # Errors
/// A refusal: it has no times, names nobody, somebody says no word, or none that was heard, or its words were changed.
pub fn by_speaker(line: &Line, ids: Ids, whole: &Together<'_>) -> Result<Vec<Part>, Refusal> {
    let timing = line.timing.as_ref().filter(|_| line.is_timed()).ok_or_else(Refusal::not_timed)?;
    let said = speeches(&line.text);
    if said.len() < 2 {
        let says = "Its text names no speakers; write NAME: before what each of them says.";
        return Err(Refusal::new("text", "no_speakers", says));
    }
    let places = words_of(line, timing, &said)?;
    if let Some((wordless, _)) = said.iter().zip(&places).find(|(s, w)| w.is_empty() && !s.text.is_empty()) {
        let says = format!(
            "“{}” has no word in it; write it before or behind something that is said, then make lines of it.",
            wordless.text
        );
        return Err(Refusal::new("text", "no_words", says));
    }
    let (said, places): (Vec<&Speech<'_>>, Vec<Range<usize>>) =
        said.iter().zip(places).filter(|(_, words)| !words.is_empty()).unzip();
    let mut spans: Vec<Span> = Vec::with_capacity(said.len());
    for (speech, words) in said.iter().zip(&places) {
        let heard = || timing.words[words.clone()].iter().filter(|w| !w.unsaid);
        let (Some(first), Some(last)) = (heard().next(), heard().next_back()) else {
            let says = format!(
                "“{}” was not heard in this recording; take it out of the text, or correct its words, then make lines of it.",
                speech.text
            );
            return Err(Refusal::new("text", "not_heard", says));
        };
        spans.push(Span { start: first.span.start, end: last.span.end });
    }
    // By frames from time zero; the grid's own number of the first comes in again with each line's frames.
    let grid = FrameGrid { first: Frame(0), ..whole.grid };
    let rate = f64::from(whole.rate);
    let sample = |time: Seconds| ((time.0 * rate).round() as usize).min(whole.samples);
    let meets: Vec<Seconds> =
        spans.windows(2).map(|two| Span { start: two[0].end, end: two[1].start }.middle()).collect();
    let mut said_by: BTreeMap<&Option<String>, Vec<Span>> = BTreeMap::new();
    for (speech, words) in said.iter().zip(&places) {
        said_by.entry(&speech.who).or_default().extend(timing.words[words.clone()].iter().map(|w| w.span));
    }
    let channels: BTreeMap<&Option<String>, Option<u32>> =
        said_by.iter().map(|(who, spans)| (*who, own_channel(whole, spans))).collect();
    let aside: BTreeSet<u32> = line.touches.iter().filter(|t| t.aside.is_some()).map(|t| t.id).collect();
    let mut parts = Vec::with_capacity(said.len());
    for (k, (speech, words)) in said.iter().zip(places).enumerate() {
        let first = k.checked_sub(1).map_or(Frame(0), |k| grid.frame_at(meets[k]));
        let from = sample(grid.time_of(first));
        let to = meets.get(k).map_or(whole.samples, |meet| {
            let frames = grid.frames_covering(*meet) - 1;
            sample(grid.time_of(Frame(frames)))
        });
        let stretch = Span {
            start: Seconds::of_samples(from, whole.rate),
            end: if to == whole.samples { timing.end() } else { Seconds::of_samples(to, whole.rate) },
        };
        let only = line.listen.only.map(|only| Span {
            start: (only.start - stretch.start).max(Seconds::ZERO),
            end: only.end - stretch.start,
        });
        let channel = line.listen.channel.or(channels[&speech.who]);
        let listen = Listen { take: None, channel, only };
        let mut ids = ids;
        let text = speech.text.to_string();
        let times = times_of(timing, words, stretch, &mut ids);
        let character = match &speech.who {
            Some(who) => (whole.called)(who),
            None => line.character.clone(),
        };
        let mut document = Line {
            text: text.clone(),
            name: line.name.as_ref().map(|name| format!("{name}_{}", k + 1)),
            character,
            listen,
            frames: OwnFrames { first: Some(Frame(whole.grid.first.0 + first.0)), ..OwnFrames::default() },
            film: None,
            shelf: Vec::new(),
            ..line.retimed(Some(Timing { text, listen, ..times }))
        };
        // What lies on the words of others stays with them.
        document.touches.retain(|t| t.aside.is_none() || aside.contains(&t.id));
        parts.push(Part { document, ids, samples: from..to, start: stretch.start });
    }
    Ok(parts)
}

/// The scene of lines that were made of one recording: each where it is said there. None unless two characters speak.
///
/// # Errors
/// There are too many lines.
pub fn scene_of_parts(name: &str, parts: &[(i32, Seconds)], heard: &Heard) -> Result<Option<Scene>, Refusal> {
    let speak: BTreeSet<&String> =
        parts.iter().filter_map(|(line, _)| heard.lines.get(line)?.as_ref()).collect();
    if speak.len() < 2 {
        return Ok(None);
    }
    let mut scene = new_scene(name, &[], heard)?;
    for (line, start) in parts {
        let op = SceneOp::AddLines { lines: vec![*line], start: Some(start.0) };
        scene = change_scene(&scene, &op, heard)?.0;
    }
    Ok(Some(scene))
}
