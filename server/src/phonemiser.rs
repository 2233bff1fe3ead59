//! A program that writes the sounds of a text in another language: `espeak-ng` if it is on the machine, or one of the
//! user's own. It reads the text and prints its sounds in the phonetic alphabet, words parted by blanks; `{language}` in its
//! arguments stands for the language.

use crate::outside::{OutsideError, Task, run};
use jam_score::{Language, Line};
use jam_voice::notation;
use jam_voice::text::{self, TextError, TextWord};

const WRITES: Task = Task { does: "writes the sounds", option: "--phonemiser" };
/// The program that is used if none is named and it is there.
const USUAL: [&str; 6] = ["espeak-ng", "-q", "--ipa", "-v", "{language}", "--stdin"];
/// Most words that are asked for one by one: a program starts for each.
const MOST_APART: usize = 300;

/// Why a text got no sounds.
#[derive(Debug, thiserror::Error)]
pub enum SoundsError {
    #[error(
        "no program that writes the sounds of other languages was found; install espeak-ng, name one of your own with --phonemiser, or type them after each word between slashes: bonjour /bɔ̃ʒuʁ/"
    )]
    NoProgram,
    #[error(transparent)]
    Outside(#[from] OutsideError),
    #[error(transparent)]
    Text(#[from] TextError),
    #[error("its words do not come one by one, and {0} are too many to ask for each; type fewer at a time")]
    TooMany(usize),
}

/// A text with the sounds of its words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sounded {
    pub text: String,
    /// Words that still have none.
    pub without: Vec<String>,
}

/// The usual program, if it is on this machine.
pub fn usual() -> Option<Vec<String>> {
    let path = std::env::var_os("PATH")?;
    let there = std::env::split_paths(&path).any(|folder| folder.join(USUAL[0]).is_file());
    there.then(|| USUAL.map(str::to_string).to_vec())
}

/// What a program prints for a text, word by word.
fn ask(
    command: &[String],
    language: &Language,
    given: String,
    watch: &dyn Fn() -> bool,
) -> Result<Vec<String>, OutsideError> {
    let own: Vec<String> = command.iter().map(|part| part.replace("{language}", language.tag())).collect();
    let out = run(WRITES, &own, given + "\n", watch)?;
    Ok(out.split_whitespace().map(|word| word.replace('/', "")).collect())
}

/// Writes the sounds of every word that has none behind it, between slashes; but for words that are `listed`, by their keys. What is said together changes sounds
/// (French _les amis_), so that the text is asked for as a whole; where not every word gets one of its own, word by word.
///
/// # Errors
/// The program fails, or the text has no words.
pub fn with_sounds(
    command: &[String],
    language: &Language,
    written: &str,
    listed: &dyn Fn(&str) -> bool,
    watch: &dyn Fn() -> bool,
) -> Result<Sounded, SoundsError> {
    let words = text::words_in(written, Some(language))?.words;
    let open = |w: &&TextWord| w.said.is_none() && !w.key.is_empty() && !listed(&w.key);
    if !words.iter().any(|w| open(&w)) {
        return Ok(Sounded { text: written.into(), without: Vec::new() });
    }
    if command.is_empty() {
        return Err(SoundsError::NoProgram);
    }
    let whole: Vec<String> = words.iter().map(|w| format!("{}{}", w.text, w.after)).collect();
    let mut sounds = ask(command, language, whole.join(" "), watch)?;
    if sounds.len() != words.len() {
        let apart = words.iter().filter(open).count();
        if apart > MOST_APART {
            return Err(SoundsError::TooMany(apart));
        }
        let alone = |w: &TextWord| match ask(command, language, w.text.clone(), watch) {
            Ok(parts) => Ok(parts.concat()),
            Err(OutsideError::Nothing(..)) => Ok(String::new()),
            Err(e) => Err(e),
        };
        let each = words.iter().map(|w| if open(&w) { alone(w) } else { Ok(String::new()) });
        sounds = each.collect::<Result<_, _>>()?;
    }
    let mut out = Sounded { text: written.into(), without: Vec::new() };
    for (word, sounds) in words.iter().zip(sounds).rev().filter(|(w, _)| open(w)) {
        if notation::read(&sounds, Some(language)).spoken.is_empty() {
            out.without.insert(0, word.text.clone());
        } else {
            out.text.insert_str(word.place.end, &format!(" /{sounds}/"));
        }
    }
    Ok(out)
}

/// A new line that says a text; in another language than English, with its sounds.
///
/// # Errors
/// As those of [`with_sounds`].
pub fn line_saying(
    command: &[String],
    language: Option<&Language>,
    written: &str,
    watch: &dyn Fn() -> bool,
) -> Result<Line, SoundsError> {
    let text = match language.filter(|_| !written.trim().is_empty()) {
        Some(language) => with_sounds(command, language, written, &|_| false, watch)?.text,
        None => written.into(),
    };
    Ok(Line { language: language.cloned(), ..Line::new(text) })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A program that says each word by its letters, and parts what has a hyphen.
    fn letters(script: &str, text: &str) -> Result<Sounded, SoundsError> {
        let command = ["sh", "-c", script, "sh", "{language}"].map(str::to_string);
        let language = Language::read("fr").ok().flatten().unwrap();
        with_sounds(&command, &language, text, &|key| key == "listé", &|| true)
    }

    #[test]
    fn words_without_sounds_get_them_where_they_stand() {
        let same = "tr -d ',.!\\n'; test \"$1\" = fr";
        let found = letters(same, "les amis /ami/, [rires] Listé, vite !").unwrap();
        assert_eq!(found.text, "les /les/ amis /ami/, [rires] Listé, vite /vite/ !");
        // Two for one word: asked one by one, and joined.
        let parted = "sed 's/quatre/ka tr/'";
        assert_eq!(letters(parted, "les quatre").unwrap().text, "les /les/ quatre /katr/");
        let nothing = letters("tr -d 'a-z'; echo ʘ", "oui").unwrap();
        assert_eq!((nothing.text.as_str(), nothing.without), ("oui", vec!["oui".to_string()]));
    }

    #[test]
    fn what_goes_wrong_is_said() {
        let says = letters("echo no such voice >&2; exit 1", "oui").map_err(|e| e.to_string());
        assert!(says.is_err_and(|s| s.contains("writes the sounds") && s.contains("no such voice")));
        assert!(matches!(letters("cat", " … "), Err(SoundsError::Text(TextError::Empty))));
        let long = "non ".repeat(MOST_APART + 1);
        assert!(matches!(letters("echo a", &long), Err(SoundsError::TooMany(_))));
    }
}
