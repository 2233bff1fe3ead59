//! A name from a character's file, as words: `BS_mouth.smile_L`, `mouthSmileLeft` and `Smile Left Mouth`
//! hold the same ones.

/// Side that a name says, the character's own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Side {
    Left,
    Right,
}

/// A name taken apart.
#[derive(Debug, Clone, PartialEq)]
pub struct Words {
    /// Lower case, without words that only say what kind of thing it is, and without the side.
    pub words: Vec<String>,
    pub side: Option<Side>,
}

/// Words that say nothing about what moves.
const NOISE: &[&str] = &[
    "blend",
    "blendshape",
    "blendshapes",
    "bs",
    "morph",
    "morpher",
    "target",
    "shape",
    "shapes",
    "key",
    "geo",
    "mesh",
    "ctrl",
    "control",
    "ctl",
    "jnt",
    "joint",
    "bone",
    "def",
    "bind",
    "rig",
    "grp",
    "offset",
    // How it comes to be where it is.
    "pulled",
    "turned",
    "pushed",
    "stuck",
    "c",
    "ctr",
    "mid",
    "middle",
    "center",
    "centre",
    "m",
];
/// Meshes that a name may begin with.
const MESHES: &[&str] = &[
    "face",
    "head",
    "body",
    "teeth",
    "tooth",
    "gum",
    "gums",
    "tongue",
    "brow",
    "brows",
    "eyebrows",
    "beard",
    "moustache",
    "mustache",
    "hair",
    "lash",
    "lashes",
    "eyelashes",
    "skin",
    "mouth",
    "eye",
    "eyes",
    "upper",
    "lower",
    "character",
];

/// The same word for words that mean the same on a face.
fn plain(word: &str) -> &str {
    match word {
        "lips" | "lp" => "lip",
        "mth" => "mouth",
        "brows" | "eyebrow" | "eyebrows" | "brw" => "brow",
        "eyes" | "eyeball" | "eyeballs" => "eye",
        "skull" => "head",
        "lids" | "eyelid" | "eyelids" => "lid",
        "cheeks" | "chk" => "cheek",
        "corners" | "cornerlip" | "lipcorner" | "cnr" | "crnr" => "corner",
        "nostrils" => "nostril",
        "mandible" | "jw" => "jaw",
        "tng" | "tong" => "tongue",
        "opened" | "opening" | "opn" => "open",
        "closed" | "shut" | "closing" | "together" | "cls" | "clse" => "close",
        "sealed" | "sealing" => "seal",
        "agape" | "gaping" => "gape",
        "raise" | "raised" | "raiser" | "lift" | "lifted" | "upward" | "upwards" | "hike" => "up",
        "drop" | "dropped" | "lowered" | "depress" | "depressor" | "downward" | "downwards" | "dn"
        | "dwn" => "down",
        "lwr" | "low" | "bottom" | "btm" | "bot" | "under" => "lower",
        "upr" | "top" => "upper",
        "inflate" | "inflated" | "blow" | "blown" | "puffed" | "puffer" => "puff",
        "wrinkle" | "wrinkler" | "wrinkled" | "scrunch" | "scrunched" => "sneer",
        "protrude" | "pout" | "protrusion" | "funneler" => "funnel",
        "pursed" | "puckerer" | "narrowed" | "kiss" | "narrow" | "round" | "rounded" | "oo" | "whistle"
        | "purse" | "puckered" => "pucker",
        "widen" | "stretch" | "stretched" | "spread" | "stretcher" => "wide",
        "tight" | "tighten" | "tightener" | "compress" | "pressed" | "presser" => "press",
        "bite" | "tucked" => "tuck",
        "suck" | "rolled" | "rollin" => "roll",
        "wink" | "blnk" => "blink",
        "squinch" | "sqnt" | "squinting" | "squinted" => "squint",
        "smiling" | "smirk" | "grin" | "grinning" => "smile",
        "sad" => "frown",
        "angry" | "anger" | "scowl" | "knit" | "corrugator" | "lowerer" => "furrow",
        "fwd" | "thrust" | "jut" | "forwards" => "forward",
        "sideways" | "slide" | "shift" | "lateral" => "side",
        "inn" | "innr" => "inner",
        "out_er" | "outr" => "outer",
        "dilate" | "dilator" | "flared" => "flare",
        other => other,
    }
}

fn split(name: &str) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut before: Option<char> = None;
    let letters: Vec<char> = name.chars().collect();
    for (i, c) in letters.iter().copied().enumerate() {
        let next_small = letters.get(i + 1).is_some_and(|n| n.is_lowercase());
        let starts = c.is_uppercase()
            && before
                .is_some_and(|b| b.is_lowercase() || b.is_ascii_digit() || (b.is_uppercase() && next_small));
        let digit = before.is_some_and(|b| b.is_ascii_digit() != c.is_ascii_digit());
        if !c.is_alphanumeric() || starts || digit {
            words.push(String::new());
        }
        if c.is_alphanumeric()
            && let Some(last) = words.last_mut()
        {
            last.extend(c.to_lowercase());
        }
        before = Some(c);
    }
    words.retain(|w| !w.is_empty() && !w.chars().all(|c| c.is_ascii_digit()));
    words
}

impl Words {
    pub fn of(name: &str) -> Words {
        // What stands before a colon says where the thing came from.
        let own = name.rsplit(':').next().unwrap_or(name);
        let mut side = None;
        let mut words = Vec::new();
        for word in split(own) {
            match word.as_str() {
                "l" | "left" | "lf" | "lft" | "lt" => side = Some(Side::Left),
                "r" | "right" | "rt" | "rgt" => side = Some(Side::Right),
                w if NOISE.contains(&w) => {}
                _ => words.push(word),
            }
        }
        Words { words, side }
    }

    /// The first word that most of a face's names begin with, if it says nothing of a face: whose shapes they are, or what
    /// made them.
    pub fn begun_with<'a>(
        names: impl Iterator<Item = &'a str> + Clone,
        says: impl Fn(&str) -> bool,
    ) -> Option<String> {
        let firsts: Vec<String> = names.filter_map(|n| Words::of(n).words.into_iter().next()).collect();
        let most = firsts.iter().max_by_key(|w| firsts.iter().filter(|o| o == w).count())?;
        let count = firsts.iter().filter(|w| *w == most).count();
        (count >= 4 && 4 * count >= 3 * firsts.len() && !says(plain(most))).then(|| most.clone())
    }

    /// The same without that first word.
    #[must_use]
    pub fn without(mut self, first: Option<&str>) -> Words {
        if self.words.len() > 1 && self.words.first().map(String::as_str) == first {
            self.words.remove(0);
        }
        self
    }

    /// All written together.
    pub fn together(&self) -> String {
        self.words.concat()
    }

    /// The same, without first words that only name a mesh, one after the other.
    pub fn without_mesh(&self) -> impl Iterator<Item = Words> {
        let names = self.words.iter().take_while(|w| MESHES.contains(&w.as_str())).count();
        (0..=names.min(self.words.len().saturating_sub(1)))
            .map(|k| Words { words: self.words[k..].to_vec(), side: self.side })
    }

    /// With the same word for what means the same.
    pub fn plain(&self) -> Vec<String> {
        let mut out: Vec<String> = Vec::new();
        for word in &self.words {
            let plain = plain(word).to_string();
            if !out.contains(&plain) {
                out.push(plain);
            }
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_of_many_habits_hold_the_same_words() {
        for name in [
            "mouthSmileLeft",
            "mouth_smile_L",
            "BS_Mouth.Smile_L",
            "rig:mouthSmile_left",
            "Mouth Smile Left 01",
        ] {
            let words = Words::of(name);
            assert_eq!(
                (words.words.join(" "), words.side),
                ("mouth smile".to_string(), Some(Side::Left)),
                "{name}"
            );
        }
        assert_eq!(Words::of("JAWOpen").words, ["jaw", "open"]);
        assert_eq!(Words::of("eyelid_upr_R").side, Some(Side::Right));
    }
}
