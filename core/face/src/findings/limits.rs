//! What is found beyond which figure, and where the figure comes from: one table. Good and spoilt performances of lines that
//! are none of the demo's, on which each was read off or tried, are made by `--example checked`; it prints this table with
//! what each rule says of them (`docs/findings.md`).

use super::rule::Rule;

/// A figure beyond which something is found.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Limit {
    pub rule: Rule,
    pub value: f64,
    /// In which unit, and of what.
    pub of: &'static str,
    /// A publication, the trade's practice, or what it was read off.
    pub from: &'static str,
}

macro_rules! limits {
    ($($name:ident $rule:ident $value:literal $of:literal $from:literal)*) => {
        $(pub const $name: f64 = $value;)*

        /// The whole table.
        pub const LIMITS: &[Limit] =
            &[$(Limit { rule: Rule::$rule, value: $value, of: $of, from: $from }),*];
    };
}

limits! {
    SEAL_GAP OpenSeal 0.012 "of the mouth's width that lips of a seal lie apart" "read off: good ones .001 at most, the least spoilt ones .05"
    SEAL OpenSeal 0.98 "of the closing control, where lips cannot be measured" "the design's check"
    LIP_TO_TEETH MissingTeeth -0.02 "of the mouth's width from the lower lip up to the upper teeth's edge" "read off: good ones -.076 at most, spoilt ones from 0 on"
    LIP_BEFORE_TEETH MissingTeeth 0.12 "of the mouth's width that the lip lies before the teeth" "read off: good ones .078 at most, round lips from .2 on"
    TUCK MissingTeeth 0.9 "of the tucking control, where lips cannot be measured" "the design's check"
    TUCK_ROUND MissingTeeth 0.30 "of rounding at a tuck, where lips cannot be measured" "a little more than speech itself keeps to"
    TUCK_PROTRUDED MissingTeeth 0.16 "of protruding at a tuck, where lips cannot be measured" "a little more than speech itself keeps to"
    TONGUE_OUT TongueHidden 0.0 "of the mouth's width that the tongue comes before the upper teeth for TH" "read off: good ones .054 at least, a tongue that stays in from -.2 on"
    TONGUE_TIP TongueHidden 0.10 "of the mouth's width from the tongue's tip to the upper teeth for L" "read off: good ones .082 at most"
    TONGUE TongueHidden 0.6 "of tongue out for TH or its tip up for L, where they cannot be measured" "the design's check"
    TEETH_APART TeethApart 0.04 "of the mouth's width between the teeth of S and Z" "read off: good ones .020 at most, a jaw a quarter farther open from .11 on"
    HISS_JAW TeethApart 0.15 "of the jaw at S and Z, where teeth cannot be measured" "the design's check"
    SYNC SyncOff 0.0208 "seconds that a jaw's opening lies off its vowel" "half a frame at 24 a second, common practice"
    LEAD SyncOff 0.0834 "seconds that the whole mouth is ahead" "two frames at 24 a second, common practice"
    BEAT_LEAST SyncOff 0.28 "of the jaw from which a vowel has a beat of its own" "read off: lower ones have no peak"
    FLAPS JawFlaps 7.0 "openings within a second" "common practice: nobody opens more than five or six times"
    FLAP JawFlaps 0.10 "of the jaw that is an opening" "read off"
    TREMBLE Trembles 0.012 "mean that a control changes sides by from frame to frame" "the design's: read off 32 good and 32 spoilt performances"
    TREMBLE_HEAD Trembles 0.05 "degrees that the head changes sides by" "the design's: as above"
    DEAD_HEAD DeadFace 1.2 "degrees that a head moves within four seconds of talk" "read off: the stillest good ones 4.0, one without its layer 0"
    DEAD_BROWS DeadFace 0.02 "of the brows' way up within four seconds of talk" "read off: the stillest good ones .029 (sung on few notes) and .37 (spoken), without them 0"
    ALONE_HEAD TurnsAlone 15.0 "degrees that a head turns within .6 s while the eyes, lids and brows rest" "a turn of the head begins with the eyes or a blink; common practice, the size read off"
    ALONE_EYES TurnsAlone 25.0 "degrees that eyes turn within .2 s and stay, while head and lids rest" "looks of more than 15 to 20 degrees take the head along (Freedman and Sparks 1997, from memory)"
    BLINKLESS NoBlink 12.0 "seconds of talk without a blink" "the design's: good takes stay below 11.5"
    BLINKS_CLOSE BlinksClose 0.40 "seconds between two blinks" "common practice"
    BLINK_ON_WORD BlinkOnWord 0.03 "seconds of a strong word behind shut lids" "the design's"
    STARE Stare 3.0 "seconds at the lens without a blink or a hop" "people find more than 3.3 s uneasy (Binetti and others 2016, from memory)"
    MIRRORED MirroredBrows 0.106 "of their movement that left and right brow differ by" "the design's: read off 32 good and 32 spoilt performances"
    SUDDEN SuddenMood 0.0833 "seconds that a mood takes to come" "two frames at 24 a second, common practice"
    FIGHT LayersFight 0.4 "of each of two moods that pull both ways" "the design's"
    CLIPPED Clipped 0.02 "of its range that a control is asked beyond its end, for a tenth of a second" "the design's"
    UNSHOWN NoOutput 0.25 "of a control's movement that nothing shows (of head and eyes 2 degrees)" "the design's"
    CUT_OFF CutOff 30.0 "dB under the loudest that the end of the recording still is" "common practice, no source"
    EARLY StartsEarly 0.0833 "seconds before the first sound" "two frames at 24 a second, common practice"
    UNWRITTEN Unwritten 0.25 "seconds of voice that no word stands for" "the design counts left-out words from a quarter of a second"
    VOICE Unwritten 22.0 "dB under the line's loud sounds that voice is" "common practice, no source"
    SILENCE Unsaid 48.0 "dB under the line's loud sounds that a word's loudest is" "common practice, no source"
}
