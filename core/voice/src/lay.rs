//! Words laid on a recording, between pinned ones if there are some, with the noises (laughs, breaths) between them.

use crate::align::{self, AlignError, Around, Path, Pronunciation};
use crate::analyser::{AnalyseError, Analyser, allowance, confidence, push, refine};
use crate::features::{Feature, boundary_seconds, cepstra, features, frame_near};
use crate::hear;
use crate::model::AcousticModel;
use crate::phrasing::{audible, voice_level};
use crate::prosody::{HOP, VoiceTracks};
use crate::refine::Looks;
use crate::scorer::{KEPT, Scores};
use crate::size;
use crate::text::{Script, Tag};
use crate::unwritten::{Again, Differs};
use jam_score::{DOUBTFUL, Noise, Phone, Seconds, Sound, Span, Spoken, Timing, Word};
use smol_str::SmolStr;
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
/// Longest silence, seconds, between the bursts of one noise: of laughs and sobs some hundred milliseconds.
const BETWEEN_BURSTS: f64 = 0.3;
/// Seconds at the ends of a pause that belong to the words beside it.
const EDGE: f64 = 0.015;

/// A word of the new text with all that is known of it before listening.
#[derive(Clone)]
pub(crate) struct Asked {
    pub text: SmolStr,
    pub after: SmolStr,
    /// Signs of its typed sounds that are no sound.
    pub unread: SmolStr,
    pub ways: Vec<Spoken>,
    pub chosen: bool,
    /// Of a pinned word what it was and its sounds, which stay.
    pub pinned: Option<(Word, Vec<Sound>)>,
}

/// What is laid on a stretch of the recording: words by their number, noises between them, and what was found to be said
/// but not written or written but not said.
#[derive(Clone, Copy)]
enum Item {
    Word(usize),
    Noise(usize),
    /// In the frames from one up to another.
    Unwritten(usize, usize),
    Unsaid(usize),
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

/// Times a stretch is looked through for what is not written or not said; each finds all but what is close together, and
/// lays all of it anew: a long one once.
const ROUNDS: usize = 5;

impl Part<'_> {
    /// Takes up what is not written or not said.
    fn take_up(&mut self, differences: &[Differs]) {
        for differs in differences.iter().rev() {
            match differs {
                Differs::More(item, frames) => {
                    self.items.insert(*item, Item::Unwritten(frames.start, frames.end));
                    self.ways.insert(*item, vec![vec![align::ANY]]);
                }
                &Differs::Less(item) => {
                    if let Item::Word(w) = self.items[item] {
                        self.items[item] = Item::Unsaid(w);
                    }
                }
            }
        }
    }

    /// Lays what is said on its frames.
    fn lay(
        &self,
        model: &AcousticModel,
        scores: &Scores<'_>,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Path, AlignError> {
        let said: Vec<usize> =
            (0..self.items.len()).filter(|i| !matches!(self.items[*i], Item::Unsaid(_))).collect();
        let ways: Vec<Vec<Pronunciation>> = said.iter().map(|i| self.ways[*i].clone()).collect();
        let own = scores.stretch(self.frames.clone());
        let only = |w: usize| match self.items[said[w]] {
            Item::Unwritten(from, to) => Some(from..to),
            _ => None,
        };
        let mut path = align::align_within(model, own, &ways, self.around, &only, watch)?;
        path.segments.iter_mut().for_each(|s| s.word = s.word.map(|w| said[w]));
        Ok(path)
    }

    /// How many words there are, said or not.
    fn asked(&self) -> usize {
        self.items.iter().filter(|i| matches!(i, Item::Word(_) | Item::Unsaid(_))).count()
    }

    /// Mean log posterior of each word that was laid, in order.
    fn sureness(&self, path: &Path) -> Vec<f32> {
        let words = path.words().filter(|laid| matches!(self.items[laid.word], Item::Word(_)));
        words.map(|laid| laid.posterior).collect()
    }

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
        heard: Laid<'_>,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Timing, AnalyseError> {
        let mut parts = self.parts(script, asked, &heard)?;
        let mut scores = Scores::new(self.model, &heard.features);
        let mut paths = self.search(&parts, &scores, &|p| watch(0.15 + 0.4 * p))?;
        let size = heard.size.unwrap_or_else(|| self.size(&parts, &paths, &heard));
        let resized;
        if heard.size.is_none() && size != size::USUAL {
            resized = features(&cepstra(heard.samples, size));
            scores = Scores::new(self.model, &resized);
            paths = self.search(&parts, &scores, &|p| watch(0.55 + 0.3 * p))?;
        }
        let looked = parts.iter().zip(&mut paths);
        looked.filter_map(|(part, path)| Some((part, path.as_mut()?))).for_each(|(part, path)| {
            path.look(scores.stretch(part.frames.clone()));
        });
        // What an English model thinks of other sounds tells neither whether they are said nor what else is: in 5 of 36 whole
        // lines it would find something.
        let by_sounds = script.is_by_sounds();
        // Of a long text a word more or less does not decide whether it is the right one.
        if heard.features.len() > KEPT && !by_sounds {
            does_match(asked, &parts, &paths)?;
        }
        for (part, path) in parts.iter_mut().zip(&mut paths) {
            if let Some(path) = path.as_mut().filter(|_| !by_sounds) {
                self.agree(part, path, &scores, heard.tracks, watch)?;
            }
        }
        if by_sounds {
            let laid =
                parts.iter().zip(&paths).filter_map(|(part, path)| Some(part.sureness(path.as_ref()?)));
            let allow = allowance(laid.flatten().collect());
            let segments = paths.iter_mut().flatten().flat_map(|path| &mut path.segments);
            segments.filter(|s| s.word.is_some()).for_each(|s| s.posterior += allow);
        } else {
            does_match(asked, &parts, &paths)?;
        }
        let mut timing = Timing { size: size::said(size), ..Timing::default() };
        let mut noise_spans: Vec<Option<Span>> = vec![None; script.tags.len()];
        let looks = Looks::new(heard.samples);
        for (part, path) in parts.iter().zip(paths) {
            match path {
                Some(path) => {
                    let any = |frames: Range<usize>| hear::hear(self.model, scores.features(frames), watch);
                    put(asked, part, &path, &looks, &any, &mut timing, &mut noise_spans)?;
                }
                None if part.words().next().is_some() => {
                    squeeze(asked, part.words(), part.span, &mut timing)?;
                }
                None => leave(part, &mut timing, &mut noise_spans),
            }
            if let Some((last, old, sounds)) = part.pin {
                let number = timing.words.len() as u32;
                timing.sounds.extend(sounds.iter().map(|s| Sound { word: Some(number), ..s.clone() }));
                let Asked { text, after, unread, .. } = asked[last].clone();
                timing.words.push(Word { text, after, unread, ..old.clone() });
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
        scores: &Scores<'_>,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Vec<Option<Path>>, AnalyseError> {
        let whole = parts.len() == 1 && parts[0].pin.is_none();
        let all = scores.len().max(1) as f64;
        let path = |part: &Part<'_>| {
            if part.words().next().is_none() {
                return Ok(None);
            }
            let (from, share) = (part.frames.start as f64 / all, part.frames.len() as f64 / all);
            match part.lay(self.model, scores, &|p| watch(from + share * p)) {
                Ok(path) => Ok(Some(path)),
                // Between pins there may be too little room to listen; the sounds share it and are doubtful.
                Err(AlignError::TooLong { .. } | AlignError::NoPath) if !whole => Ok(None),
                Err(e) => Err(e.into()),
            }
        };
        parts.iter().map(path).collect()
    }

    /// Finds what is said in a stretch but not written, and written but not said, and lays it anew so.
    fn agree(
        &self,
        part: &mut Part<'_>,
        path: &mut Path,
        scores: &Scores<'_>,
        tracks: &VoiceTracks,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<(), AnalyseError> {
        let own = scores.stretch(part.frames.clone());
        let first = part.frames.start;
        let at = |frame: usize| Seconds(boundary_seconds(first + frame));
        let voiced =
            |frames: Range<usize>| tracks.voiced(Span { start: at(frames.start), end: at(frames.end) });
        let rounds = if own.len() > KEPT { 1 } else { ROUNDS };
        for _ in 0..rounds {
            let is_word = |item: usize| matches!(part.items[item], Item::Word(_));
            let (ways, is_word) = (&part.ways, &is_word);
            let again = Again {
                model: self.model,
                scores: own,
                ways,
                path,
                is_word,
                voiced: &voiced,
                watch: &|| watch(0.9),
            };
            let differences = again.differences()?;
            if differences.is_empty() {
                break;
            }
            let before = (part.items.clone(), part.ways.clone());
            part.take_up(&differences);
            match part.lay(self.model, scores, &|_| watch(0.9)) {
                Ok(found) => *path = found,
                Err(AlignError::Cancelled) => return Err(AlignError::Cancelled.into()),
                Err(_) => {
                    (part.items, part.ways) = before;
                    break;
                }
            }
            path.look(own);
        }
        Ok(())
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

/// Whether the text is what the recording says at all, as far as its words are not pinned.
fn does_match(asked: &[Asked], parts: &[Part<'_>], paths: &[Option<Path>]) -> Result<(), AnalyseError> {
    let ([part], [Some(path)]) = (parts, paths) else { return Ok(()) };
    let mut sure: Vec<f32> = part.sureness(path).into_iter().map(confidence).collect();
    // What is not said is not sure either.
    sure.resize(part.asked(), 0.0);
    sure.sort_by(f32::total_cmp);
    if part.pin.is_none() && sure.get(sure.len() / 2).is_some_and(|middle| *middle < NO_MATCH) {
        let doubtful = sure.iter().filter(|s| **s < DOUBTFUL).count();
        return Err(AnalyseError::DoesNotMatch { doubtful, words: asked.len() });
    }
    Ok(())
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
    any: &dyn Fn(Range<usize>) -> Result<Vec<hear::Heard>, AlignError>,
    timing: &mut Timing,
    noises: &mut [Option<Span>],
) -> Result<(), AnalyseError> {
    let (items, stretch, segments) = (&part.items, part.span, &path.segments);
    let (first_word, first_sound) = (timing.words.len(), timing.sounds.len());
    let mut start = stretch.start;
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
            Item::Unwritten(..) => {
                let from = part.frames.start + segment.frames.start;
                let heard = any(from..part.frames.start + segment.frames.end)?;
                for one in &heard {
                    let last = one.frames.end == segment.frames.len();
                    let end = if last { span.end } else { Seconds(boundary_seconds(from + one.frames.end)) };
                    let begins = timing.sounds.last().map_or(span.start, |s| s.span.end).max(span.start);
                    let own = Span { start: begins, end: end.min(span.end) };
                    if own.end > own.start {
                        let confidence = confidence(one.posterior);
                        push(&mut timing.sounds, Sound { confidence, ..Sound::new(one.phone, own) });
                    }
                }
            }
            Item::Unsaid(_) => {}
            Item::Word(w) => {
                let said = asked[w].ways[segment.pronunciation][segment.phone];
                let confidence = confidence(segment.posterior);
                let number = w as u32;
                timing.sounds.push(Sound {
                    word: Some(number),
                    stress: said.stress,
                    confidence,
                    symbol: said.symbol,
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
    let (mut sure, mut at) = (part.sureness(path).into_iter(), stretch.start);
    for item in items {
        let (w, unsaid) = match *item {
            Item::Word(w) => (w, false),
            Item::Unsaid(w) => (w, true),
            Item::Noise(_) | Item::Unwritten(..) => continue,
        };
        // What is not said lies where the word before it ends.
        let own = spans.get(w - first_word).copied().flatten().unwrap_or(Span { start: at, end: at });
        at = own.end;
        let confidence = if unsaid { 0.0 } else { sure.next().map_or(0.0, confidence) };
        let (after, unread) = (asked[w].after.clone(), asked[w].unread.clone());
        timing.words.push(Word {
            after,
            unread,
            confidence,
            unsaid,
            ..Word::new(asked[w].text.clone(), own)
        });
    }
    Ok(())
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
                symbol: said.symbol,
                ..Sound::new(said.phone, span)
            });
        }
        let span = Span { start: at(own.start), end: at(own.end) };
        let (after, unread) = (asked[w].after.clone(), asked[w].unread.clone());
        timing.words.push(Word { after, unread, confidence: 0.0, ..Word::new(asked[w].text.clone(), span) });
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
    // The fading of the word before and the start of the next are none of it; a laugh is many short ones.
    let runs = levels
        .chunk_by(|a, b| loud(a) == loud(b))
        .filter(|run| loud(&run[0]))
        .map(|run| Span::new(run[0].0 - 0.5 * HOP, run[run.len() - 1].0 + 0.5 * HOP))
        .filter(|run| run.start.0 > pause.start.0 + EDGE && run.end.0 < pause.end.0 - EDGE);
    let mut joined: Vec<Span> = Vec::new();
    for run in runs {
        match joined.last_mut().filter(|last| (run.start - last.end).0 < BETWEEN_BURSTS) {
            Some(last) => last.end = run.end,
            None => joined.push(run),
        }
    }
    let longest = joined.into_iter().max_by(|a, b| a.length().0.total_cmp(&b.length().0));
    longest.unwrap_or(found)
}
