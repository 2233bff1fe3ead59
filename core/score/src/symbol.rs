//! Sounds that English lacks, as the International Phonetic Alphabet writes them. A recording is listened to for the
//! nearest [`Phone`](crate::Phone), which tells when; the symbol tells what the mouth does.

use serde::{Deserialize, Serialize};

macro_rules! symbols {
    ($($variant:ident $ipa:literal),* $(,)?) => {
        /// One sound that English lacks. Source of the symbols: IPA chart, revision of 2020.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema)]
        pub enum Symbol { $(#[serde(rename = $ipa)] $variant),* }

        impl Symbol {
            pub const ALL: &'static [Symbol] = &[$(Symbol::$variant),*];

            /// As the alphabet writes it; accents are marks of their own (Unicode's decomposition).
            pub fn ipa(self) -> &'static str {
                match self { $(Symbol::$variant => $ipa),* }
            }

            /// Finds a symbol by how it is written.
            pub fn from_ipa(written: &str) -> Option<Symbol> {
                match written { $($ipa => Some(Symbol::$variant),)* _ => None }
            }
        }
    };
}

symbols! {
    FrontU "y", FrontUShort "ʏ", FrontO "ø", FrontOOpen "œ", FrontAOpen "ɶ",
    PureO "o", PureE "e", FrontA "a", BackI "ɯ", PressedU "ɯᵝ", MidI "ɨ", MidU "ʉ", BackO "ɤ",
    NasalE "ɛ̃", NasalA "ɑ̃", NasalO "ɔ̃", NasalFront "œ̃",
    FrontW "ɥ", Uvular "ʁ", UvularTrill "ʀ", UvularHiss "χ", Velar "x", VelarVoiced "ɣ",
    Palatal "ç", PalatalVoiced "ʝ", PalatalSh "ɕ", PalatalZh "ʑ", PalatalCh "tɕ", PalatalJh "dʑ",
    CurledSh "ʂ", CurledZh "ʐ", CurledCh "ʈʂ", PalatalN "ɲ", PalatalL "ʎ", PalatalK "c", PalatalG "ɟ",
    Trill "r", Tap "ɾ", LipsHiss "ɸ", LipsVoiced "β", LipTeeth "ʋ",
    Throat "ħ", ThroatVoiced "ʕ", UvularStop "q",
}

impl Symbol {
    /// Letters that broad transcriptions of English use for its own sounds: they mean these only in another language.
    pub fn is_letter_of_english(self) -> bool {
        matches!(self, Symbol::PureO | Symbol::PureE | Symbol::FrontA | Symbol::Trill)
    }
}
