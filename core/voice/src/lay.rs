//! Words laid on a recording, between pinned ones if there are some, with the noises (laughs, breaths) between them.

use crate::align::{self, AlignError, Around, Pronunciation};
use crate::analyser::{AnalyseError, Analyser, confidence, push, refine};
use crate::features::{Feature, boundary_seconds, frame_near};
use crate::phrasing::{audible, voice_level};
use crate::prosody::{HOP, VoiceTracks};
use crate::refine::Looks;
use crate::text::{Script, Tag};
use jam_score::{Noise, Phone, Seconds, Sound, Span, Spoken, Timing, Word};

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
#[derive(Clone, Copy)]
pub(crate) struct Stretch<'a> {
    pub looks: &'a Looks<'a>,
    pub features: &'a [Feature],
}

impl Analyser {
    /// Lays the words on the recording: between pinned ones if there are some.
    pub(crate) fn lay(
        &self,
        script: &Script,
        asked: &[Asked],
        heard: Stretch<'_>,
        tracks: &VoiceTracks,
        duration: Seconds,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Timing, AnalyseError> {
        let mut timing = Timing::default();
        let mut noise_spans: Vec<Option<Span>> = vec![None; script.tags.len()];
        let (mut word, mut start) = (0, Seconds::ZERO);
        let mut tag = 0;
        while word < asked.len() || start < duration {
            let pin = (word..asked.len()).find(|w| asked[*w].pinned.is_some());
            let last = pin.unwrap_or(asked.len());
            let pinned = pin.and_then(|p| asked[p].pinned.as_ref());
            let end = pinned.map_or(duration, |(w, _)| w.span.start);
            let mut items = Vec::new();
            for w in word..=last {
                while script.tags.get(tag).is_some_and(|t| t.before == w) {
                    items.push(Item::Noise(tag));
                    tag += 1;
                }
                if w < last {
                    items.push(Item::Word(w));
                }
            }
            let phone = |s: Option<&Sound>| s.and_then(|s| self.model.base(s.phone.name()));
            let around = Around {
                before: phone(timing.sounds.last().filter(|s| s.word.is_some())),
                after: phone(pinned.and_then(|(_, sounds)| sounds.first())),
            };
            self.lay_between(
                asked,
                &items,
                heard,
                Span { start, end },
                around,
                &mut timing,
                &mut noise_spans,
                watch,
            )?;
            if let Some((old, sounds)) = pinned {
                let number = timing.words.len() as u32;
                timing.sounds.extend(sounds.iter().map(|s| Sound { word: Some(number), ..s.clone() }));
                let (text, after) = (asked[last].text.clone(), asked[last].after.clone());
                timing.words.push(Word { text, after, ..old.clone() });
                start = old.span.end;
                word = last + 1;
            } else {
                break;
            }
        }
        let new = |w: usize| asked[w].pinned.is_none();
        for sound in &mut timing.sounds {
            sound.level = tracks.level_of(sound.span);
        }
        for (w, word) in timing.words.iter_mut().enumerate().filter(|(w, _)| new(*w)) {
            word.pitch = tracks.pitch_of(word.span);
            word.chosen = asked[w].chosen;
        }
        let mut heard: Vec<f32> = timing.words.iter().map(|w| w.confidence).collect();
        heard.sort_by(f32::total_cmp);
        if asked.iter().all(|a| a.pinned.is_none()) && heard[heard.len() / 2] < NO_MATCH {
            let doubtful = timing.words.iter().filter(|w| w.is_doubtful()).count();
            return Err(AnalyseError::DoesNotMatch { doubtful, words: asked.len() });
        }
        // Several noises in one pause keep the times found for each; a single one takes all that is audible in it.
        let alone = |t: &Tag| script.tags.iter().filter(|o| o.before == t.before).count() == 1;
        let spans = script.tags.iter().zip(noise_spans).filter_map(|(t, span)| Some((t, span?)));
        timing.noises = spans
            .map(|(t, found)| {
                let span = if alone(t) { louder_part(&timing, tracks, found) } else { found };
                Noise { text: t.text.clone(), span }
            })
            .collect();
        Ok(timing)
    }

    /// Lays words on a stretch and adds them to `timing`, which ends where the stretch starts.
    #[allow(clippy::too_many_arguments)]
    fn lay_between(
        &self,
        asked: &[Asked],
        items: &[Item],
        heard: Stretch<'_>,
        stretch: Span,
        around: Around,
        timing: &mut Timing,
        noises: &mut [Option<Span>],
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<(), AnalyseError> {
        let features = heard.features;
        let words = || items.iter().filter_map(|i| if let Item::Word(w) = i { Some(*w) } else { None });
        if words().next().is_none() {
            if stretch.length().0 > 1e-9 {
                push(&mut timing.sounds, Sound::new(Phone::Sil, stretch));
            }
            items.iter().for_each(|i| {
                if let Item::Noise(n) = i {
                    noises[*n] = Some(stretch).filter(|s| s.length().0 > SHORTEST);
                }
            });
            return Ok(());
        }
        let whole = timing.sounds.is_empty() && around.after.is_none();
        let frame = |at: Seconds| frame_near(at).min(features.len());
        let first = if stretch.start == Seconds::ZERO { 0 } else { frame(stretch.start) };
        let frames = first..around.after.map_or(features.len(), |_| frame(stretch.end));
        let noise: Vec<Pronunciation> =
            NOISES.iter().filter_map(|n| self.model.base(n)).map(|b| vec![b]).collect();
        let ways = items.iter().map(|item| match item {
            Item::Word(w) => self.pronunciations(&asked[*w].ways),
            Item::Noise(_) => Ok(noise.clone()),
        });
        let ways: Vec<Vec<Pronunciation>> = ways.collect::<Result<_, _>>()?;
        let (from, share) = (frames.start, frames.len() as f64 / features.len().max(1) as f64);
        let done = 0.15 + 0.85 * from as f64 / features.len().max(1) as f64;
        let own = features.get(frames).unwrap_or_default();
        let segments = match align::align(self.model, own, &ways, around, &|p| watch(done + 0.85 * share * p))
        {
            Ok(segments) => segments,
            // Between pins there may be too little room to listen; the sounds share it and are doubtful.
            Err(AlignError::TooLong { .. } | AlignError::NoPath) if !whole => {
                return squeeze(asked, words(), stretch, timing);
            }
            Err(e) => return Err(e.into()),
        };
        let (first_word, first_sound) = (timing.words.len(), timing.sounds.len());
        let mut start = stretch.start;
        let mut sums: Vec<(f32, u32)> = vec![(0.0, 0); items.len()];
        let last = segments.len().saturating_sub(1);
        for (i, segment) in segments.iter().enumerate() {
            let latest = Seconds(stretch.end.0 - SHORTEST * (last - i) as f64);
            let end = if i == last {
                stretch.end
            } else {
                Seconds(boundary_seconds(from + segment.frames.end)).min(latest)
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
        refine(heard.looks, &mut timing.sounds[first_sound..]);
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
        Ok(())
    }

    fn pronunciations(&self, ways: &[Spoken]) -> Result<Vec<Pronunciation>, AlignError> {
        let base = |phone: Phone| {
            self.model.base(phone.name()).ok_or_else(|| AlignError::UnknownSound(phone.name().to_string()))
        };
        ways.iter().map(|spoken| spoken.iter().map(|s| base(s.phone)).collect()).collect()
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
