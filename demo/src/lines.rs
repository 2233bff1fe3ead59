//! The demo's lines: an invented radio play, *Fog at Pell Harbour*. Every English sound, a line in Catalan by its sounds, a whisper, a
//! shout, a sung line, a question, a list, a pause and all six moods occur.

use jam_score::layers::{Acting, HeadMove, Look, Over, Stretch};
use jam_score::{Language, LanguageError, Layers, Line, Mood, Span, Timing};

/// What a line's face does beside speaking it, over some of its words, from 0.
pub enum Cue {
    Feels(Mood, f64, std::ops::RangeInclusive<usize>),
    LooksAt(&'static str, std::ops::RangeInclusive<usize>),
    Thinks(std::ops::RangeInclusive<usize>),
    /// Yaw, pitch and roll.
    Turns([f64; 3], std::ops::RangeInclusive<usize>),
}

/// One line with its recording, which was synthesised.
pub struct DemoLine {
    /// Who says it.
    pub character: &'static str,
    pub text: &'static str,
    /// The tag of the language it is in; nothing is English.
    pub language: &'static str,
    pub file_name: &'static str,
    pub recording: &'static [u8],
    pub cues: &'static [Cue],
}

impl DemoLine {
    /// The line as it is before it is timed.
    ///
    /// # Errors
    /// Its language is no tag.
    pub fn says(&self) -> Result<Line, LanguageError> {
        Ok(Line { language: Language::read(self.language)?, ..Line::new(self.text) })
    }

    /// The cues of a timed line as its layers; what is in them has no number yet.
    pub fn layers(&self, timing: &Timing) -> Layers {
        let mut layers = Layers::default();
        let over = |words: &std::ops::RangeInclusive<usize>| {
            let word = |i: usize| timing.words.get(i).map(|w| w.span);
            let (first, last) = (word(*words.start())?, word(*words.end())?);
            // It comes with its words, not after them.
            let span = Span { start: jam_score::Seconds((first.start.0 - 0.25).max(0.0)), end: last.end };
            Some(Stretch::at(timing, span))
        };
        for cue in self.cues {
            let id = 0;
            match cue {
                Cue::Feels(mood, amount, words) => {
                    let does = Acting::of(mood.clone(), *amount);
                    layers.moods.extend(over(words).map(|over| Over { id, over, does }));
                }
                Cue::LooksAt(mark, words) => {
                    let mark = layers.settings.mark_named(mark).unwrap_or_default();
                    let does = Look::Face { mark };
                    layers.looks.extend(over(words).map(|over| Over { id, over, does }));
                }
                Cue::Thinks(words) => {
                    layers.looks.extend(over(words).map(|over| Over { id, over, does: Look::Think }));
                }
                Cue::Turns([yaw, pitch, roll], words) => {
                    let does = HeadMove::Turn { yaw: *yaw, pitch: *pitch, roll: *roll };
                    layers.moves.extend(over(words).map(|over| Over { id, over, does }));
                }
            }
        }
        layers
    }
}

/// The demo's scene: what it is called, and the numbers of its lines, from 1, in their order.
pub const SCENE: (&str, [usize; 4]) = ("The pier, night", [4, 13, 2, 15]);

/// The characters, as the production calls them.
pub const BRAM: &str = "Bram";
pub const ODILE: &str = "Odile";
pub const BELL: &str = "The ship's bell";
pub const WREN: &str = "Wren";

macro_rules! lines {
    ($($who:ident $file:literal $number:literal text: $text:literal $(in $language:literal)?, $($cue:expr),* ;)*) => {
        pub const LINES: &[DemoLine] = &[$(DemoLine {
            character: $who,
            text: $text,
            language: concat!("" $(, $language)?),
            file_name: concat!($file, "-", $number, "-synthesised.wav"),
            recording: include_bytes!(concat!("../voices/", $number, ".wav")),
            cues: &[$($cue),*],
        }),*];
    };
}

lines! {
    BRAM "bram" "01" text: "Pell Harbour to the Saint Odo. The pier light is lit. Come in slowly, over.", Cue::LooksAt("table", 0..=4), Cue::LooksAt("beside the lens", 5..=9), Cue::Turns([-8.0, 0.0, -2.0], 10..=13);
    BRAM "bram" "02" text: "Forty crates of marmalade, and not one spoon on the whole pier!", Cue::Feels(Mood::Anger, 0.75, 0..=11), Cue::LooksAt("lens", 4..=8), Cue::Turns([6.0, 4.0, 0.0], 9..=11);
    BRAM "bram" "03" text: "Hush now. Listen. That is her engine, far out past the buoy, and much too close.", Cue::Feels(Mood::Worry, 0.75, 0..=15), Cue::LooksAt("other, right", 2..=5), Cue::LooksAt("beside the lens", 12..=15);
    BRAM "bram" "04" text: "Pull the shutters down, Odile. The fog will be at the pier before the kettle boils.", Cue::LooksAt("other, left", 3..=6), Cue::Feels(Mood::Worry, 0.6, 5..=15), Cue::Turns([0.0, 0.0, 4.0], 10..=14);
    BRAM "bram" "05" text: "Why would anyone ship oranges through a night like this?", Cue::Feels(Mood::Irony, 0.85, 0..=9), Cue::Thinks(3..=5), Cue::LooksAt("lens", 6..=9);
    BRAM "bram" "06" text: "Left rudder, Captain! Left! You are nearly on the rocks!", Cue::Feels(Mood::Fear, 0.85, 0..=9), Cue::LooksAt("other, left", 0..=3), Cue::LooksAt("lens", 4..=9);
    BRAM "bram" "07" text: "[sung] Slow goes the tide, and slow goes the moon.", Cue::Feels(Mood::Tenderness, 0.7, 0..=8), Cue::Turns([4.0, -3.0, 5.0], 4..=8);
    BRAM "bram" "08" text: "Four, five, six, seven. All of them, by the usual measure, and the jam is dry.", Cue::Thinks(0..=3), Cue::Feels(Mood::Irony, 0.5, 4..=14), Cue::LooksAt("beside the lens", 4..=14);
    BRAM "bram" "09" text: "You smell that? Burnt sugar. Somebody has dropped a jar. Ugh, it is everywhere.", Cue::Feels(Mood::Surprise, 0.6, 0..=2), Cue::Thinks(3..=4), Cue::Feels(Mood::Disgust, 0.85, 10..=13), Cue::Turns([-9.0, -2.0, -3.0], 10..=13);
    BRAM "bram" "10" text: "I thought the worst of it was over.", Cue::Feels(Mood::Sadness, 0.8, 0..=7), Cue::LooksAt("table", 2..=4), Cue::LooksAt("lens", 5..=7);
    BRAM "bram" "11" text: "[whispers] Don't turn round. It is on the roof.", Cue::Feels(Mood::Dread, 0.8, 0..=7), Cue::LooksAt("other, right", 3..=7);
    BRAM "bram" "12" text: "Good morning, Pell Harbour. Visibility is excellent, and Odile's tea is free.", Cue::Feels(Mood::Happiness, 0.8, 0..=11), Cue::LooksAt("lens", 0..=3), Cue::Turns([0.0, 3.0, 4.0], 7..=11);
    ODILE "odile" "13" text: "Bram! The fog has eaten the end of my pier. Bring a lamp, and bring the big spoon.", Cue::Feels(Mood::Surprise, 0.7, 0..=2), Cue::Feels(Mood::Worry, 0.6, 3..=15), Cue::LooksAt("other, right", 0..=4);
    ODILE "odile" "14" text: "Tea first, then trouble. Five sugars for the captain, and none for the ghost.", Cue::Feels(Mood::Happiness, 0.6, 0..=12), Cue::LooksAt("other, left", 4..=12);
    BELL "bell" "15" text: "I have rung for forty ferries, and nobody ever thanks the bell.", Cue::Feels(Mood::Sadness, 0.7, 0..=11), Cue::LooksAt("table", 6..=9), Cue::Turns([5.0, 0.0, 6.0], 7..=11);
    WREN "wren" "16" text: "Ninety gulls on the roof, Bram, and five of them are wearing boots!", Cue::Thinks(0..=1), Cue::LooksAt("other, right", 2..=5), Cue::Feels(Mood::Surprise, 0.7, 6..=12), Cue::LooksAt("lens", 9..=12);
    WREN "wren" "17" text: "Please may I blow the big horn? Only once. I promise it will be a very small toot.", Cue::Feels(Mood::Worry, 0.4, 0..=6), Cue::Feels(Mood::Happiness, 0.8, 7..=16), Cue::LooksAt("lens", 0..=6), Cue::Turns([4.0, 3.0, 6.0], 9..=16);
    ODILE "odile" "18" text: "Bona /ˈbɔnə/ nit /ˈnit/, far /ˈfa/ vell /ˈbeʎ/. Demà /dəˈma/ portaré /purtəˈɾe/ taronges /təˈɾɔnʒəs/ i /i/ una /ˈunə/ llum /ˈʎum/ nova /ˈnɔβə/." in "ca", Cue::Feels(Mood::Tenderness, 0.6, 0..=3), Cue::LooksAt("other, left", 0..=3), Cue::LooksAt("lens", 4..=10), Cue::Turns([-5.0, 2.0, -4.0], 0..=3);
}
