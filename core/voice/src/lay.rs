//! Words laid on a recording, between pinned ones if there are some, with the noises (laughs, breaths) between them.

use crate::align::{self, AlignError, Around, Path, Pronunciation};
use crate::analyser::{AnalyseError, Analyser, confidence, push, refine};
use crate::features::{Feature, boundary_seconds, cepstra, features, frame_near};
use crate::phrasing::{audible, voice_level};
use crate::prosody::{HOP, VoiceTracks};
use crate::refine::Looks;
use crate::size;
use crate::text::{Script, Tag};
use jam_score::{Noise, Phone, Seconds, Sound, Span, Spoken, Timing, Word};
use std::ops::Range;

/// Median word confidence below which a text is not what the recording says. A wrong text still has a
/// few words that fit by chance, so the median tells more than the mean. Measured on 120 synthesised
/// lines: right texts .069 and more, texts of other lines .036 at most. Right texts stay above it in
/// white noise and babble down to 5 dB; there wrong ones pass too, all their words doubtful.
const NO_MATCH: f32 = 0.04;
/// The fillers of the acoustic model that stand for noises: laughs, breaths, anything that is no word.
const NOISES: [&str; 2] = ["+NSN+", "+SPN+"];
/// Shortest time that a sound is given where there is no room to listen for it.
const SHORTEST: f64 = 0.005;
/// Seconds at the ends of a pause that belong to the words beside it.
const EDGE: f64 = 0.015;

/// A word of the new text with all that is known of it before listening.
pub(crate) struct Asked {
    pub text: String,
    pub after: String,
    pub ways: Vec<Spoken>,
    pub chosen: bool,
    /// Of a pinned word what it was and its sounds, which stay.
    pub pinned: Option<(Word, Vec<Sound>)>,
}

/// What is laid on a stretch of the recording: words by their number, and noises between them.
enum Item {
    Word(usize),
    Noise(usize),
}

/// What a text is laid on.
pub(crate) struct Laid<'a> {
    /// At the rate of the features.
    pub samples: &'a [f32],
    pub features: Vec<Feature>,
    pub tracks: &'a VoiceTracks,
    pub duration: Seconds,
    /// The voice's size, if it is known from before: the features were made for it.
    pub size: Option<f64>,
}

/// A stretch between pinned words, and what is laid on it.
struct Part<'a> {
    items: Vec<Item>,
    ways: Vec<Vec<Pronunciation>>,
    span: Span,
    /// Its frames.
    frames: Range<usize>,
    around: Around,
    /// The pinned word that follows it, by its number, with what it was and its sounds.
    pin: Option<(usize, &'a Word, &'a [Sound])>,
}

impl Part<'_> {
    fn words(&self) -> impl Iterator<Item = usize> + Clone {
        self.items.iter().filter_map(|i| if let Item::Word(w) = i { Some(*w) } else { None })
    }
}

impl Analyser {
    /// Lays the words on the recording: between pinned ones if there are some. If the voice turns out to be of another
    /// size than usual, once more.
    pub(crate) fn lay(
        &self,
        script: &Script,
        asked: &[Asked],
        mut heard: Laid<'_>,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Timing, AnalyseError> {
        let parts = self.parts(script, asked, &heard)?;
        let mut paths = self.search(&parts, &heard.features, &|p| watch(0.15 + 0.5 * p))?;
        let size = heard.size.unwrap_or_else(|| self.size(&parts, &paths, &heard));
        if heard.size.is_none() && size != size::USUAL {
            heard.features = features(&cepstra(heard.samples, size));
            paths = self.search(&parts, &heard.features, &|p| watch(0.6 + 0.3 * p))?;
        }
        let mut timing = Timing { size: size::said(size), ..Timing::default() };
        let mut noise_spans: Vec<Option<Span>> = vec![None; script.tags.len()];
        let looks = Looks::new(heard.samples);
        for (part, path) in parts.iter().zip(paths) {
            match path {
                Some(mut path) => {
                    path.look(self.model, heard.features.get(part.frames.clone()).unwrap_or_default());
                    put(asked, part, &path, &looks, &mut timing, &mut noise_spans);
                }
                None if part.words().next().is_some() => {
                    squeeze(asked, part.words(), part.span, &mut timing)?;
                }
                None => leave(part, &mut timing, &mut noise_spans),
            }
            if let Some((last, old, sounds)) = part.pin {
                let number = timing.words.len() as u32;
                timing.sounds.extend(sounds.iter().map(|s| Sound { word: Some(number), ..s.clone() }));
                let (text, after) = (asked[last].text.clone(), asked[last].after.clone());
                timing.words.push(Word { text, after, ..old.clone() });
            }
        }
        let new = |w: usize| asked[w].pinned.is_none();
        for sound in &mut timing.sounds {
            sound.level = heard.tracks.level_of(sound.span);
        }
        for (w, word) in timing.words.iter_mut().enumerate().filter(|(w, _)| new(*w)) {
            word.pitch = heard.tracks.pitch_of(word.span);
            word.chosen = asked[w].chosen;
        }
        let mut sure: Vec<f32> = timing.words.iter().map(|w| w.confidence).collect();
        sure.sort_by(f32::total_cmp);
        if asked.iter().all(|a| a.pinned.is_none()) && sure[sure.len() / 2] < NO_MATCH {
            let doubtful = timing.words.iter().filter(|w| w.is_doubtful()).count();
            return Err(AnalyseError::DoesNotMatch { doubtful, words: asked.len() });
        }
        // Several noises in one pause keep the times found for each; a single one takes all that is audible in it.
        let alone = |t: &Tag| script.tags.iter().filter(|o| o.before == t.before).count() == 1;
        let spans = script.tags.iter().zip(noise_spans).filter_map(|(t, span)| Some((t, span?)));
        timing.noises = spans
            .map(|(t, found)| {
                let span = if alone(t) { louder_part(&timing, heard.tracks, found) } else { found };
                Noise { text: t.text.clone(), span }
            })
            .collect();
        Ok(timing)
    }

    /// The stretches between pinned words, each but the last with the word it ends at.
    fn parts<'a>(
        &self,
        script: &Script,
        asked: &'a [Asked],
        heard: &Laid<'_>,
    ) -> Result<Vec<Part<'a>>, AnalyseError> {
        let noise: Vec<Pronunciation> =
            NOISES.iter().filter_map(|n| self.model.base(n)).map(|b| vec![b]).collect();
        let phone = |s: Option<&Sound>| s.and_then(|s| self.model.base(s.phone.name()));
        let mut parts: Vec<Part<'a>> = Vec::new();
        let (mut word, mut start, mut tag) = (0, Seconds::ZERO, 0);
        let mut before = None;
        while word < asked.len() || start < heard.duration {
            let pinned = |w: usize| asked[w].pinned.as_ref().map(|(old, sounds)| (w, old, &sounds[..]));
            let pin = (word..asked.len()).find_map(pinned);
            let last = pin.map_or(asked.len(), |(w, ..)| w);
            let end = pin.map_or(heard.duration, |(_, old, _)| old.span.start);
            let (mut items, mut ways) = (Vec::new(), Vec::new());
            for w in word..=last {
                while script.tags.get(tag).is_some_and(|t| t.before == w) {
                    items.push(Item::Noise(tag));
                    ways.push(noise.clone());
                    tag += 1;
                }
                if w < last {
                    items.push(Item::Word(w));
                    ways.push(self.pronunciations(&asked[w].ways)?);
                }
            }
            let span = Span { start, end };
            let after = phone(pin.and_then(|(_, _, sounds)| sounds.first()));
            let around = Around { before, after };
            let frame = |at: Seconds| frame_near(at).min(heard.features.len());
            let first = if start == Seconds::ZERO { 0 } else { frame(start) };
            let frames = first..around.after.map_or(heard.features.len(), |_| frame(end));
            parts.push(Part { items, ways, span, frames, around, pin });
            let Some((_, old, sounds)) = pin else { break };
            (word, start) = (last + 1, old.span.end);
            before = phone(sounds.last());
        }
        Ok(parts)
    }

    /// The best path of each stretch; none where there are no words, or too little room to listen.
    fn search(
        &self,
        parts: &[Part<'_>],
        features: &[Feature],
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Vec<Option<Path>>, AnalyseError> {
        let whole = parts.len() == 1 && parts[0].pin.is_none();
        let all = features.len().max(1) as f64;
        let path = |part: &Part<'_>| {
            if part.words().next().is_none() {
                return Ok(None);
            }
            let (from, share) = (part.frames.start as f64 / all, part.frames.len() as f64 / all);
            let own = features.get(part.frames.clone()).unwrap_or_default();
            match align::align(self.model, own, &part.ways, part.around, &|p| watch(from + share * p)) {
                Ok(path) => Ok(Some(path)),
                // Between pins there may be too little room to listen; the sounds share it and are doubtful.
                Err(AlignError::TooLong { .. } | AlignError::NoPath) if !whole => Ok(None),
                Err(e) => Err(e.into()),
            }
        };
        parts.iter().map(path).collect()
    }

    /// The size in which what is said sounds likeliest.
    fn size(&self, parts: &[Part<'_>], paths: &[Option<Path>], heard: &Laid<'_>) -> f64 {
        let mut senones = vec![None; heard.features.len()];
        for (part, path) in parts.iter().zip(paths) {
            for segment in path.iter().flat_map(|p| &p.segments) {
                let said = segment.word.is_some_and(|i| matches!(part.items[i], Item::Word(_)));
                for frame in segment.frames.clone().filter(|_| said) {
                    senones[part.frames.start + frame] = path.as_ref().map(|p| p.senones[frame]);
                }
            }
        }
        size::of_recording(self.model, heard.samples, &senones, size::OF_TEXT)
    }

    fn pronunciations(&self, ways: &[Spoken]) -> Result<Vec<Pronunciation>, AlignError> {
        let base = |phone: Phone| {
            self.model.base(phone.name()).ok_or_else(|| AlignError::UnknownSound(phone.name().to_string()))
        };
        ways.iter().map(|spoken| spoken.iter().map(|s| base(s.phone)).collect()).collect()
    }
}

/// A stretch without words: a pause, with what noises are in it.
fn leave(part: &Part<'_>, timing: &mut Timing, noises: &mut [Option<Span>]) {
    if part.span.length().0 > 1e-9 {
        push(&mut timing.sounds, Sound::new(Phone::Sil, part.span));
    }
    for item in &part.items {
        if let Item::Noise(n) = item {
            noises[*n] = Some(part.span).filter(|s| s.length().0 > SHORTEST);
        }
    }
}

/// Adds what was laid on a stretch to `timing`, which ends where the stretch starts.
fn put(
    asked: &[Asked],
    part: &Part<'_>,
    path: &Path,
    looks: &Looks<'_>,
    timing: &mut Timing,
    noises: &mut [Option<Span>],
) {
    let (items, stretch, segments) = (&part.items, part.span, &path.segments);
    let (first_word, first_sound) = (timing.words.len(), timing.sounds.len());
    let mut start = stretch.start;
    let mut sums: Vec<(f32, u32)> = vec![(0.0, 0); items.len()];
    let last = segments.len().saturating_sub(1);
    for (i, segment) in segments.iter().enumerate() {
        let latest = Seconds(stretch.end.0 - SHORTEST * (last - i) as f64);
        let end = if i == last {
            stretch.end
        } else {
            Seconds(boundary_seconds(part.frames.start + segment.frames.end)).min(latest)
        };
        if end <= start {
            continue;
        }
        let span = Span { start, end };
        start = end;
        let Some(item) = segment.word else {
            push(
                &mut timing.sounds,
                Sound { confidence: confidence(segment.posterior), ..Sound::new(Phone::Sil, span) },
            );
            continue;
        };
        match items[item] {
            Item::Noise(n) => {
                noises[n] = Some(span);
                push(&mut timing.sounds, Sound::new(Phone::Sil, span));
            }
            Item::Word(w) => {
                let said = asked[w].ways[segment.pronunciation][segment.phone];
                sums[item] = (sums[item].0 + segment.posterior, sums[item].1 + 1);
                let confidence = confidence(segment.posterior);
                let number = w as u32;
                timing.sounds.push(Sound {
                    word: Some(number),
                    stress: said.stress,
                    confidence,
                    ..Sound::new(said.phone, span)
                });
            }
        }
    }
    refine(looks, &mut timing.sounds[first_sound..]);
    let mut spans: Vec<Option<Span>> = Vec::new();
    for sound in &timing.sounds[first_sound..] {
        if let Some(w) = sound.word.map(|w| w as usize) {
            spans.resize((w + 1 - first_word).max(spans.len()), None);
            let span = spans[w - first_word].get_or_insert(sound.span);
            span.end = sound.span.end;
        }
    }
    for (i, item) in items.iter().enumerate() {
        let Item::Word(w) = *item else { continue };
        let (sum, count) = sums[i];
        let span = spans.get(w - first_word).copied().flatten().unwrap_or_default();
        timing.words.push(Word {
            after: asked[w].after.clone(),
            confidence: confidence(sum / count.max(1) as f32),
            ..Word::new(&asked[w].text, span)
        });
    }
}

/// Words with too little room: their sounds share it evenly, and none of it is sure.
fn squeeze(
    asked: &[Asked],
    words: impl Iterator<Item = usize> + Clone,
    stretch: Span,
    timing: &mut Timing,
) -> Result<(), AnalyseError> {
    let count: usize = words.clone().map(|w| asked[w].ways[0].len()).sum();
    let step = stretch.length().0 / count.max(1) as f64;
    if step < SHORTEST {
        let texts: Vec<&str> = words.map(|w| asked[w].text.as_str()).collect();
        return Err(AnalyseError::NoRoom(texts.join(" ")));
    }
    let mut done = 0usize;
    for w in words {
        let own = done..done + asked[w].ways[0].len();
        let at = |i: usize| if i == count { stretch.end } else { Seconds(stretch.start.0 + step * i as f64) };
        for (said, i) in asked[w].ways[0].iter().zip(own.clone()) {
            let span = Span { start: at(i), end: at(i + 1) };
            let word = Some(w as u32);
            timing.sounds.push(Sound {
                word,
                stress: said.stress,
                confidence: 0.0,
                ..Sound::new(said.phone, span)
            });
        }
        let span = Span { start: at(own.start), end: at(own.end) };
        let after = asked[w].after.clone();
        timing.words.push(Word { after, confidence: 0.0, ..Word::new(&asked[w].text, span) });
        done = own.end;
    }
    Ok(())
}

/// Of the pause that holds a noise the audible part; the search gives a noise only as much as
/// its few sounds need.
fn louder_part(timing: &Timing, tracks: &VoiceTracks, found: Span) -> Span {
    let middle = found.middle();
    let pause =
        timing.sounds.iter().find(|s| s.word.is_none() && s.span.start <= middle && middle < s.span.end);
    let Some(pause) = pause.map(|p| p.span) else { return found };
    let levels = tracks.levels_in(pause);
    let faintest = audible(&levels, voice_level(timing));
    let loud = |l: &(f64, f32)| l.1 > faintest;
    // The longest stretch; the fading of the word before and the start of the next are none of it.
    let longest = levels
        .chunk_by(|a, b| loud(a) == loud(b))
        .filter(|run| loud(&run[0]))
        .map(|run| Span::new(run[0].0 - 0.5 * HOP, run[run.len() - 1].0 + 0.5 * HOP))
        .filter(|run| run.start.0 > pause.start.0 + EDGE && run.end.0 < pause.end.0 - EDGE)
        .max_by(|a, b| a.length().0.total_cmp(&b.length().0));
    longest.unwrap_or(found)
}
