//! Many recordings that come in together: which text, character, mood and frame each gets, by the names of the files and
//! by a table, and what of that is missing or doubtful.

use crate::felt::{Felt, felt_of};
use jam_score::{Frame, Language};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// What a row of a table asks for, cell by cell; nothing is an empty cell.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct AskedLine {
    /// Its place in the table.
    pub line: u64,
    pub file: Option<String>,
    pub text: Option<String>,
    pub language: Option<String>,
    pub character: Option<String>,
    pub mood: Option<String>,
    pub first_frame: Option<String>,
    pub name: Option<String>,
}

/// What came in together.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Intake {
    /// Recordings by their paths.
    pub recordings: Vec<String>,
    /// Text files by their paths, with the words in them.
    pub texts: Vec<(String, String)>,
    pub table: Vec<AskedLine>,
}

/// What of the production it is held against.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Known {
    /// Characters: what names them, and what they are called.
    pub characters: Vec<(String, String)>,
    /// Names of the recordings that lines have.
    pub recordings: BTreeSet<String>,
}

/// Something that wants a look before a line is brought in.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Doubt {
    /// For programs: `no_text`, `no_recording`, `no_character`, `language`, `mood`, `first_frame`, `twice`, `there_already`,
    /// `not_in_table`.
    pub code: String,
    /// In a sentence.
    pub says: String,
    /// Without it the line cannot be brought in, or would not be what was asked for.
    pub wrong: bool,
}

/// A line as it would be brought in.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
pub struct ProposedLine {
    /// The path of its recording among those that came; none if the table names one that did not come.
    pub recording: Option<String>,
    /// How the table names the recording, or its path.
    pub called: String,
    pub name: Option<String>,
    pub text: Option<String>,
    /// None is English.
    pub language: Option<Language>,
    /// What names the character who says it.
    pub character: Option<String>,
    pub moods: Vec<String>,
    pub first_frame: Option<Frame>,
    pub doubts: Vec<Doubt>,
}

/// What would come of an intake.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Proposed {
    pub lines: Vec<ProposedLine>,
    /// Texts that lie beside no recording, by their places: a script, to be found by what is heard.
    pub apart: Vec<usize>,
}

fn path(name: &str) -> String {
    name.replace('\\', "/").trim_start_matches("./").to_lowercase()
}

fn last(path: &str) -> &str {
    path.rsplit_once('/').map_or(path, |(_, last)| last)
}

fn stem(path: &str) -> &str {
    let from = path.len() - last(path).len();
    path[from..].rfind('.').filter(|dot| *dot > 0).map_or(path, |dot| &path[..from + dot])
}

/// Finds files by what they are called: the whole path, else the name alone, with its ending or without, if only one
/// file has that.
struct Files {
    by: Vec<BTreeMap<String, Vec<usize>>>,
}

/// In which ways a file can be called, the narrowest first.
const WAYS: [fn(&str) -> &str; 4] = [|p| p, stem, last, |p| stem(last(p))];

impl Files {
    fn of(names: &[String]) -> Files {
        let by = WAYS.map(|way| {
            let mut found: BTreeMap<String, Vec<usize>> = BTreeMap::new();
            for (k, name) in names.iter().enumerate() {
                found.entry(way(&path(name)).to_string()).or_default().push(k);
            }
            found
        });
        Files { by: by.into() }
    }

    fn find(&self, called: &str) -> Option<usize> {
        let called = path(called);
        self.by.iter().zip(WAYS).find_map(|(found, way)| {
            let own = found.get(way(&called))?;
            (own.len() == 1).then(|| own[0])
        })
    }
}

impl ProposedLine {
    fn doubt(&mut self, code: &str, wrong: bool, says: impl Into<String>) {
        self.doubts.push(Doubt { code: code.into(), says: says.into(), wrong });
    }
}

impl Known {
    /// What names the character that is called so.
    pub fn character(&self, called: &str) -> Option<&str> {
        let same = |own: &str| own.trim().to_lowercase() == called.trim().to_lowercase();
        let by_title = self.characters.iter().find(|(_, title)| same(title));
        by_title
            .or_else(|| self.characters.iter().find(|(name, _)| same(name)))
            .map(|(name, _)| name.as_str())
    }
}

/// Says what would come of it.
pub fn propose(intake: &Intake, known: &Known) -> Proposed {
    let files = Files::of(&intake.recordings);
    let mut beside: BTreeMap<usize, usize> = BTreeMap::new();
    let mut apart = Vec::new();
    for (k, (name, _)) in intake.texts.iter().enumerate() {
        match files.find(name) {
            Some(recording) => drop(beside.entry(recording).or_insert(k)),
            None => apart.push(k),
        }
    }
    let text_beside =
        |recording: usize| beside.get(&recording).map(|k| intake.texts[*k].1.trim().to_string());
    let mut used = vec![false; intake.recordings.len()];
    let mut lines: Vec<ProposedLine> = Vec::new();
    for asked in &intake.table {
        let called = asked.file.clone().unwrap_or_default();
        let found = files.find(&called).filter(|_| !called.is_empty());
        let mut own = ProposedLine {
            recording: found.map(|k| intake.recordings[k].clone()),
            name: asked.name.clone(),
            text: asked.text.clone().or_else(|| found.and_then(text_beside)),
            called,
            ..ProposedLine::default()
        };
        match found {
            None if own.called.is_empty() => {
                own.doubt("no_recording", true, format!("Row {} names no recording.", asked.line));
            }
            None => {
                let says = format!("“{}” is not among the files that were dropped.", own.called);
                own.doubt("no_recording", true, says);
            }
            Some(k) if std::mem::replace(&mut used[k], true) => {
                own.doubt("twice", false, "The table names this recording more than once.");
            }
            Some(_) => {}
        }
        if let Some(who) = &asked.character {
            own.character = known.character(who).map(str::to_string);
            if own.character.is_none() {
                own.doubt("no_character", true, format!("No character is called “{who}”; choose one."));
            }
        }
        match Language::read(asked.language.as_deref().unwrap_or_default()) {
            Ok(language) => own.language = language,
            Err(says) => own.doubt("language", true, format!("{says}.")),
        }
        if let Some(mood) = &asked.mood {
            own.moods = felt_of(mood);
            if let Some(says) = own.moods.iter().find_map(|m| m.parse::<Felt>().err()) {
                own.moods.clear();
                own.doubt("mood", true, format!("The mood is left out: {says}."));
            }
        }
        if let Some(first) = &asked.first_frame {
            own.first_frame = first.trim().parse().ok().and_then(|n| Frame::first(n).ok());
            if own.first_frame.is_none() {
                own.doubt("first_frame", true, format!("“{first}” is no number of a frame."));
            }
        }
        lines.push(own);
    }
    for (k, recording) in intake.recordings.iter().enumerate().filter(|(k, _)| !used[*k]) {
        let mut own = ProposedLine {
            recording: Some(recording.clone()),
            called: recording.clone(),
            text: text_beside(k),
            ..ProposedLine::default()
        };
        if !intake.table.is_empty() {
            own.doubt("not_in_table", false, "The table does not name it.");
        }
        lines.push(own);
    }
    for own in &mut lines {
        if own.recording.as_deref().is_some_and(|r| known.recordings.contains(last(&path(r)))) {
            own.doubt("there_already", false, "A line of this recording's name is there already.");
        }
        if own.recording.is_some() && own.text.as_deref().is_none_or(|text| text.trim().is_empty()) {
            own.text = None;
            let says = match apart.is_empty() {
                true => "No text: its sounds alone are heard.",
                false => "No text: the script is searched once it is heard.",
            };
            own.doubt("no_text", false, says);
        }
    }
    Proposed { lines, apart }
}

#[cfg(test)]
mod tests {
    use super::{AskedLine, Intake, Known, propose};

    fn names(all: &[&str]) -> Vec<String> {
        all.iter().map(|n| n.to_string()).collect()
    }

    fn codes(line: &super::ProposedLine) -> Vec<&str> {
        line.doubts.iter().map(|d| d.code.as_str()).collect()
    }

    #[test]
    fn texts_lie_beside_their_recordings_and_what_lies_apart_is_a_script() {
        let texts = ["day1/PH_001.txt", "PH_002.SRT", "all.txt"];
        let intake = Intake {
            recordings: names(&["day1/ph_001.WAV", "day2/PH_002.wav", "day2/PH_003.flac"]),
            texts: texts.iter().map(|t| (t.to_string(), format!("words of {t}"))).collect(),
            ..Intake::default()
        };
        let known = Known { recordings: ["ph_003.flac".to_string()].into(), ..Known::default() };
        let found = propose(&intake, &known);
        let said: Vec<Option<&str>> = found.lines.iter().map(|l| l.text.as_deref()).collect();
        assert_eq!(said, [Some("words of day1/PH_001.txt"), Some("words of PH_002.SRT"), None]);
        assert_eq!(codes(&found.lines[2]), ["there_already", "no_text"]);
        assert_eq!(found.apart, [2]);
    }

    #[test]
    fn of_two_files_of_one_name_the_whole_path_tells_which() {
        let intake = Intake {
            recordings: names(&["a/1.wav", "b/1.wav"]),
            texts: vec![("b/1.txt".into(), "second".into()), ("1.txt".into(), "either".into())],
            ..Intake::default()
        };
        let found = propose(&intake, &Known::default());
        assert_eq!(found.lines[0].text, None);
        assert_eq!(found.lines[1].text.as_deref(), Some("second"));
        assert_eq!(found.apart, [1]);
    }

    #[test]
    fn a_table_says_who_how_and_when_and_what_is_wrong_in_it_is_told() {
        let row = |file: &str, who: &str, mood: &str, first: &str| AskedLine {
            file: Some(file.into()),
            text: Some("Nothing moves.".into()),
            character: Some(who.into()),
            language: Some(if who == "Nobody" { "french" } else { "fr" }.into()),
            mood: Some(mood.into()),
            first_frame: Some(first.into()),
            ..AskedLine::default()
        };
        let intake = Intake {
            recordings: names(&["x/1.wav", "x/2.wav", "x/3.wav"]),
            table: vec![
                row("1.wav", "old wren", "fear 0.4", "1001"),
                row("2", "Nobody", "fear:2", "soon"),
                row("4.wav", "Old Wren", "", "86400"),
                row("x/1.wav", "Old Wren", "", "1001"),
            ],
            ..Intake::default()
        };
        let known = Known { characters: vec![("wren".into(), "Old Wren".into())], ..Known::default() };
        let found = propose(&intake, &known).lines;
        assert_eq!(found.len(), 5);
        assert_eq!(found[0].character.as_deref(), Some("wren"));
        assert_eq!(
            (found[0].moods.as_slice(), found[0].first_frame.map(|f| f.0)),
            (&["fear:0.4".to_string()][..], Some(1001))
        );
        assert!(found[0].doubts.is_empty());
        assert_eq!(found[0].language.as_ref().map(jam_score::Language::tag), Some("fr"));
        assert_eq!(codes(&found[1]), ["no_character", "language", "mood", "first_frame"]);
        assert_eq!(codes(&found[2]), ["no_recording"]);
        assert_eq!(codes(&found[3]), ["twice"]);
        assert_eq!(
            (found[4].called.as_str(), codes(&found[4])),
            ("x/3.wav", vec!["not_in_table", "no_text"])
        );
    }
}
