//! The sounds of English as the pronouncing dictionary writes them (ARPAbet, 39 phones), and the
//! pause.

use serde::{Deserialize, Serialize};
use std::fmt;

macro_rules! phones {
    ($($variant:ident $name:literal $ipa:literal $kind:ident),* $(,)?) => {
        /// One sound. `Sil` is a pause.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema)]
        #[serde(rename_all = "UPPERCASE")]
        pub enum Phone { $($variant),* }

        impl Phone {
            /// Every sound, the pause last.
            pub const ALL: &'static [Phone] = &[$(Phone::$variant),*];

            /// The ARPAbet name without stress, upper case: `"AA"`, `"SIL"`.
            pub fn name(self) -> &'static str {
                match self { $(Phone::$variant => $name),* }
            }

            /// The sound in the International Phonetic Alphabet, general American; empty for a pause.
            pub fn ipa(self) -> &'static str {
                match self { $(Phone::$variant => $ipa),* }
            }

            fn kind(self) -> Kind {
                match self { $(Phone::$variant => Kind::$kind),* }
            }

            /// Finds a sound by its ARPAbet name; stress digits are not part of the name.
            pub fn from_name(name: &str) -> Option<Phone> {
                match name { $($name => Some(Phone::$variant),)* _ => None }
            }
        }
    };
}

#[derive(PartialEq, Eq)]
enum Kind {
    Vowel,
    Glide,
    Stop,
    Consonant,
    Pause,
}

phones! {
    Aa "AA" "ɑ" Vowel, Ae "AE" "æ" Vowel, Ah "AH" "ʌ" Vowel, Ao "AO" "ɔ" Vowel,
    Aw "AW" "aʊ" Glide, Ay "AY" "aɪ" Glide, B "B" "b" Stop, Ch "CH" "tʃ" Stop,
    D "D" "d" Stop, Dh "DH" "ð" Consonant, Eh "EH" "ɛ" Vowel, Er "ER" "ɝ" Vowel,
    Ey "EY" "eɪ" Glide, F "F" "f" Consonant, G "G" "ɡ" Stop, Hh "HH" "h" Consonant,
    Ih "IH" "ɪ" Vowel, Iy "IY" "i" Vowel, Jh "JH" "dʒ" Stop, K "K" "k" Stop,
    L "L" "l" Consonant, M "M" "m" Consonant, N "N" "n" Consonant, Ng "NG" "ŋ" Consonant,
    Ow "OW" "oʊ" Glide, Oy "OY" "ɔɪ" Glide, P "P" "p" Stop, R "R" "ɹ" Consonant,
    S "S" "s" Consonant, Sh "SH" "ʃ" Consonant, T "T" "t" Stop, Th "TH" "θ" Consonant,
    Uh "UH" "ʊ" Vowel, Uw "UW" "u" Vowel, V "V" "v" Consonant, W "W" "w" Consonant,
    Y "Y" "j" Consonant, Z "Z" "z" Consonant, Zh "ZH" "ʒ" Consonant, Sil "SIL" "" Pause,
}

impl Phone {
    /// Vowels, gliding ones included.
    pub fn is_vowel(self) -> bool {
        matches!(self.kind(), Kind::Vowel | Kind::Glide)
    }

    /// A vowel that moves from one shape to another: AW AY EY OW OY.
    pub fn is_glide(self) -> bool {
        self.kind() == Kind::Glide
    }

    /// Stops and affricates: a closure, then a release.
    pub fn is_stop(self) -> bool {
        self.kind() == Kind::Stop
    }
}

impl fmt::Display for Phone {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}
