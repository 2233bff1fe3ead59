//! A draft of what a recording says, from the voice alone: the likeliest row of words by how they sound ([`tree`],
//! [`search`]) and by which words follow which ([`language`]), what else each may be ([`choices`]), and commas and stops
//! by pauses and pitch ([`points`]).

mod choices;
pub mod language;
mod points;
mod search;
mod tree;

use crate::analyse::listen;
use crate::analyser::{AnalyseError, Analyser};
use crate::dictionary::{Dictionary, WordList};
use crate::features::boundary_seconds;
use crate::model::AcousticModel;
use crate::{size, text};
use choices::Choice;
use jam_score::{Line, Seconds, Span, Word, is_function_word};
use jam_sound::Recording;
use language::LanguageModel;
use search::{Words, search};
use std::collections::BTreeMap;
use std::sync::OnceLock;
use tree::{Entry, Tree};

/// ln odds of a name, or of a word that the language model lacks, at least; and what is added to those of a word that the production has. By hand.
const NAME: f32 = -6.0;
const KNOWN: f32 = 3.0;

/// A draft of what is said.
#[derive(Debug, Clone, PartialEq)]
pub struct Draft {
    /// With commas and stops.
    pub text: String,
    pub words: Vec<DraftWord>,
}

/// A word of a draft.
#[derive(Debug, Clone, PartialEq)]
pub struct DraftWord {
    /// With the punctuation after it.
    pub text: String,
    pub span: Span,
    /// 0..1, how far the recording bears it out.
    pub confidence: f32,
    /// What it may be instead, the likeliest first.
    pub others: Vec<String>,
}

/// What a production says often: its names and the words of its other lines.
#[derive(Debug, Clone, Default)]
pub struct Known {
    /// How its words are said.
    ways: WordList,
    /// How names are written, by the word in lower case.
    names: BTreeMap<String, String>,
}

impl Known {
    /// Of names, of texts in English, and of the production's list of words. A word amid a sentence that begins with a
    /// capital letter is a name.
    pub fn of<'t>(names: &[&str], texts: impl IntoIterator<Item = &'t str>, list: &WordList) -> Known {
        let mut known = Known { ways: list.clone(), names: BTreeMap::new() };
        let mut take = |text: &str, name: bool| {
            for (i, word) in text::read(text).map(|s| s.words).unwrap_or_default().into_iter().enumerate() {
                let plain = text::plain_key(&word.key);
                if plain.is_empty() || is_function_word(&plain) {
                    continue;
                }
                if name || i > 0 && word.text.starts_with(char::is_uppercase) {
                    known.names.insert(word.key.clone(), word.text);
                }
                known.ways.entry(word.key).or_insert_with(|| Dictionary::shipped().ways_to_say(&plain));
            }
        };
        names.iter().for_each(|name| take(name, true));
        texts.into_iter().for_each(|text| take(text, false));
        known
    }
}

/// The words that ship, in a tree by their sounds.
struct Shipped {
    language: &'static LanguageModel,
    entries: Vec<Entry>,
    tree: Tree,
}

fn shipped(model: &AcousticModel) -> Result<&'static Shipped, AnalyseError> {
    static SHIPPED: OnceLock<Shipped> = OnceLock::new();
    if let Some(shipped) = SHIPPED.get() {
        return Ok(shipped);
    }
    let language = LanguageModel::shipped()?;
    let words = language.words().iter().enumerate().filter(|(_, w)| !w.starts_with('<'));
    let entries: Vec<Entry> =
        words.map(|(i, text)| Entry { text: text.clone(), word: Some(i as u32), odds: 0.0 }).collect();
    let ways = |text: &str| Dictionary::shipped().listed(text).unwrap_or_default();
    let spoken = entries.iter().enumerate();
    let spoken = spoken.flat_map(|(i, e)| ways(&e.text).into_iter().map(move |s| (i as u32, s)));
    let tree = Tree::build(model, &|e| entries[e as usize].alone(language), spoken)?;
    Ok(SHIPPED.get_or_init(|| Shipped { language, entries, tree }))
}

impl Analyser {
    /// A draft of what a recording says in English.
    ///
    /// # Errors
    /// The recording is silent or holds no speech, or `watch` stopped it.
    pub fn draft(
        &self,
        recording: &Recording,
        known: &Known,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Draft, AnalyseError> {
        let heard = listen(recording, size::USUAL, watch)?;
        let (_, features, _) = self.sounds(&heard.samples, heard.features, &|p| watch(0.1 + 0.1 * p))?;
        let Shipped { language, entries, tree } = shipped(self.model)?;
        let (mut own, mut ways) = (Vec::new(), Vec::new());
        for (key, spoken) in &known.ways {
            let (name, word) = (known.names.get(key), language.place(key));
            // A name is said here however rarely it is elsewhere.
            let least = name.map_or(f32::NEG_INFINITY, |_| NAME);
            let odds = word.map_or(NAME, |w| KNOWN.max(least - language.alone(w)));
            ways.extend(spoken.iter().map(|s| (own.len() as u32, s.clone())));
            own.push(Entry { text: name.unwrap_or(key).clone(), word, odds });
        }
        let own_tree = Tree::build(self.model, &|e| own[e as usize].alone(language), ways.into_iter())?;
        let words = Words { language, entries: [entries, &own], trees: [tree, &own_tree] };
        let found = search(self.model, words, &features, &|p| watch(0.2 + 0.6 * p))?;
        let chosen = choices::of(&found, words);
        if chosen.is_empty() {
            return Err(AnalyseError::NothingHeard);
        }
        self.pointed(recording, chosen, &known.ways, &|p| watch(0.8 + 0.2 * p))
    }

    /// Words with their times, and with commas and stops.
    fn pointed(
        &self,
        recording: &Recording,
        chosen: Vec<Choice>,
        ways: &WordList,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Draft, AnalyseError> {
        let plain: Vec<&str> = chosen.iter().map(|c| c.text.as_str()).collect();
        let line = Line::new(plain.join(" "));
        let (spans, marks) = match self.time(recording, &line, ways, watch) {
            Ok(found) if found.timing.words.len() == chosen.len() => {
                let words = &found.timing.words;
                let timed = |w: &Word| (w.span, w.confidence);
                (words.iter().map(timed).collect(), points::of(words, &found.prosody()))
            }
            Err(e) if e.code() == "cancelled" => return Err(e),
            _ => {
                let seconds = |frame: u32| Seconds(boundary_seconds(frame as usize));
                let timed =
                    |c: &Choice| (Span { start: seconds(c.frames.start), end: seconds(c.frames.end) }, 1.0);
                (chosen.iter().map(timed).collect::<Vec<_>>(), vec![""; chosen.len()])
            }
        };
        let mut begins = true;
        let mut words: Vec<DraftWord> = Vec::with_capacity(chosen.len());
        for ((choice, (span, sure)), mark) in chosen.into_iter().zip(spans).zip(marks) {
            let text = points::written(&choice.text, begins) + mark;
            let others = choice.others.iter().map(|o| points::written(o, begins)).collect();
            begins = [".", "?"].contains(&mark);
            words.push(DraftWord { text, span, confidence: choice.confidence.min(sure), others });
        }
        let text = words.iter().map(|w| w.text.as_str()).collect::<Vec<_>>().join(" ");
        Ok(Draft { text, words })
    }
}
