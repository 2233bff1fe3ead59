//! Sounds that English lacks, as the International Phonetic Alphabet writes them. A recording is listened to for the
//! nearest [`Phone`], which tells when; the symbol tells what the mouth does.

use crate::Phone;
use serde::{Deserialize, Serialize};

macro_rules! symbols {
    ($($variant:ident $ipa:literal $phone:ident),* $(,)?) => {
        /// One sound that English lacks. Source of the symbols: IPA chart, revision of 2020.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema)]
        pub enum Symbol { $(#[serde(rename = $ipa)] $variant),* }

        impl Symbol {
            pub const ALL: &'static [Symbol] = &[$(Symbol::$variant),*];

            /// As the alphabet writes it; accents are marks of their own (Unicode's decomposition).
            pub fn ipa(self) -> &'static str {
                match self { $(Symbol::$variant => $ipa),* }
            }

            /// The nearest English sound, which a recording is listened to for: consonants by place, then manner; vowels by
            /// rounding first, since the lips show it, then by height and backness.
            pub fn phone(self) -> Phone {
                self.phones()[0]
            }

            /// The same as a row of one.
            pub fn phones(self) -> &'static [Phone; 1] {
                match self { $(Symbol::$variant => &[Phone::$phone]),* }
            }

            /// Finds a symbol by how it is written.
            pub fn from_ipa(written: &str) -> Option<Symbol> {
                match written { $($ipa => Some(Symbol::$variant),)* _ => None }
            }
        }
    };
}

symbols! {
    FrontU "y" Uw,
    FrontUShort "ʏ" Uh,
    FrontO "ø" Uh,
    FrontOOpen "œ" Ao,
    FrontAOpen "ɶ" Ao,
    PureO "o" Ao,
    PureE "e" Eh,
    FrontA "a" Aa,
    BackI "ɯ" Ih,
    PressedU "ɯᵝ" Uw,
    MidI "ɨ" Ih,
    MidU "ʉ" Uw,
    BackO "ɤ" Ah,
    NasalE "ɛ̃" Eh,
    NasalA "ɑ̃" Aa,
    NasalO "ɔ̃" Ao,
    NasalFront "œ̃" Ao,
    FrontW "ɥ" W,
    Uvular "ʁ" R,
    UvularTrill "ʀ" R,
    UvularHiss "χ" Hh,
    Velar "x" Hh,
    VelarVoiced "ɣ" G,
    Palatal "ç" Hh,
    PalatalVoiced "ʝ" Y,
    PalatalSh "ɕ" Sh,
    PalatalZh "ʑ" Zh,
    PalatalCh "tɕ" Ch,
    PalatalJh "dʑ" Jh,
    CurledSh "ʂ" Sh,
    CurledZh "ʐ" Zh,
    CurledCh "ʈʂ" Ch,
    PalatalN "ɲ" N,
    PalatalL "ʎ" Y,
    PalatalK "c" K,
    PalatalG "ɟ" G,
    Trill "r" R,
    Tap "ɾ" D,
    LipsHiss "ɸ" F,
    LipsVoiced "β" V,
    LipTeeth "ʋ" V,
    Throat "ħ" Hh,
    ThroatVoiced "ʕ" R,
    UvularStop "q" K,
}

impl Symbol {
    /// Letters that broad transcriptions of English use for its own sounds: they mean these only in another language.
    pub fn is_letter_of_english(self) -> bool {
        matches!(self, Symbol::PureO | Symbol::PureE | Symbol::FrontA | Symbol::Trill)
    }
}
