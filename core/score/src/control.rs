//! The controls: one vocabulary of degrees of freedom for every face, named by anatomy.

use serde::{Deserialize, Serialize};

/// Part of the face that a control belongs to; decides its colour everywhere.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Region {
    Jaw,
    Lips,
    Tongue,
    Cheeks,
    Lids,
    Brows,
    Gaze,
    Head,
}

macro_rules! controls {
    ($($variant:ident $name:literal $region:ident $low:literal $high:literal),* $(,)?) => {
        /// One degree of freedom of a face. Shapes run 0..1 or -1..1, gaze and head angles are in
        /// degrees (+yaw to the character's left, +pitch down, +roll to its right shoulder), head
        /// shifts in centimetres. `Left` and `Right` are the character's own. 0 is the relaxed face.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema)]
        #[serde(rename_all = "snake_case")]
        #[schema(as = ControlName, rename_all = "snake_case")]
        pub enum Control { $($variant),* }

        impl Control {
            pub const ALL: &'static [Control] = &[$(Control::$variant),*];

            /// The control's name in files and in the interface.
            pub fn name(self) -> &'static str {
                match self { $(Control::$variant => $name),* }
            }

            pub fn region(self) -> Region {
                match self { $(Control::$variant => Region::$region),* }
            }

            /// Lowest and highest value.
            pub fn range(self) -> (f32, f32) {
                match self { $(Control::$variant => ($low, $high)),* }
            }

            pub fn from_name(name: &str) -> Option<Control> {
                match name { $($name => Some(Control::$variant),)* _ => None }
            }
        }
    };
}

impl Control {
    /// The same control on the other side of the face; none in its middle.
    pub fn other_side(self) -> Option<Control> {
        let name = self.name();
        let swapped = |own: &str, other: &str| Some(format!("{}{other}", name.strip_suffix(own)?));
        Control::from_name(&swapped("_left", "_right").or_else(|| swapped("_right", "_left"))?)
    }

    /// In words: “lip upper raise left”.
    pub fn title(self) -> String {
        self.name().replace('_', " ")
    }
}

controls! {
    JawOpen "jaw_open" Jaw 0.0 1.0,
    JawSide "jaw_side" Jaw -1.0 1.0,
    JawForward "jaw_forward" Jaw 0.0 1.0,
    LipsClose "lips_close" Lips 0.0 1.0,
    LipsPress "lips_press" Lips 0.0 1.0,
    LipsRound "lips_round" Lips 0.0 1.0,
    LipsProtrude "lips_protrude" Lips 0.0 1.0,
    LipsSpreadLeft "lips_spread_left" Lips 0.0 1.0,
    LipsSpreadRight "lips_spread_right" Lips 0.0 1.0,
    LipUpperRaiseLeft "lip_upper_raise_left" Lips 0.0 1.0,
    LipUpperRaiseRight "lip_upper_raise_right" Lips 0.0 1.0,
    LipLowerDropLeft "lip_lower_drop_left" Lips 0.0 1.0,
    LipLowerDropRight "lip_lower_drop_right" Lips 0.0 1.0,
    LipLowerTuck "lip_lower_tuck" Lips 0.0 1.0,
    LipUpperRoll "lip_upper_roll" Lips 0.0 1.0,
    LipLowerRoll "lip_lower_roll" Lips 0.0 1.0,
    MouthSide "mouth_side" Lips -1.0 1.0,
    CornerUpLeft "corner_up_left" Lips 0.0 1.0,
    CornerUpRight "corner_up_right" Lips 0.0 1.0,
    CornerDownLeft "corner_down_left" Lips 0.0 1.0,
    CornerDownRight "corner_down_right" Lips 0.0 1.0,
    ChinRaise "chin_raise" Lips 0.0 1.0,
    TongueTipUp "tongue_tip_up" Tongue 0.0 1.0,
    TongueOut "tongue_out" Tongue 0.0 1.0,
    TongueBackUp "tongue_back_up" Tongue 0.0 1.0,
    TongueWide "tongue_wide" Tongue -1.0 1.0,
    CheekRaiseLeft "cheek_raise_left" Cheeks 0.0 1.0,
    CheekRaiseRight "cheek_raise_right" Cheeks 0.0 1.0,
    CheekPuff "cheek_puff" Cheeks -1.0 1.0,
    NoseWrinkleLeft "nose_wrinkle_left" Cheeks 0.0 1.0,
    NoseWrinkleRight "nose_wrinkle_right" Cheeks 0.0 1.0,
    NostrilFlare "nostril_flare" Cheeks 0.0 1.0,
    LidCloseLeft "lid_close_left" Lids 0.0 1.0,
    LidCloseRight "lid_close_right" Lids 0.0 1.0,
    LidWideLeft "lid_wide_left" Lids 0.0 1.0,
    LidWideRight "lid_wide_right" Lids 0.0 1.0,
    LidSquintLeft "lid_squint_left" Lids -1.0 1.0,
    LidSquintRight "lid_squint_right" Lids -1.0 1.0,
    BrowInnerUpLeft "brow_inner_up_left" Brows 0.0 1.0,
    BrowInnerUpRight "brow_inner_up_right" Brows 0.0 1.0,
    BrowOuterUpLeft "brow_outer_up_left" Brows 0.0 1.0,
    BrowOuterUpRight "brow_outer_up_right" Brows 0.0 1.0,
    BrowDownLeft "brow_down_left" Brows 0.0 1.0,
    BrowDownRight "brow_down_right" Brows 0.0 1.0,
    GazeYaw "gaze_yaw" Gaze -60.0 60.0,
    GazePitch "gaze_pitch" Gaze -45.0 45.0,
    GazeConverge "gaze_converge" Gaze 0.0 30.0,
    HeadYaw "head_yaw" Head -90.0 90.0,
    HeadPitch "head_pitch" Head -60.0 60.0,
    HeadRoll "head_roll" Head -45.0 45.0,
    HeadShiftX "head_shift_x" Head -50.0 50.0,
    HeadShiftY "head_shift_y" Head -50.0 50.0,
    HeadShiftZ "head_shift_z" Head -50.0 50.0,
}
