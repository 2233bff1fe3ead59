//! Motion that comes in from elsewhere: curves files and tables of ours, a clip of a glTF, head motion, a recorded capture.
//! Each is read into moments, with values of controls or of a character's outputs at its own times.

mod clip;
mod curves;
mod source;
mod table;

pub use source::{BackError, Reading, Source, TakenFor, Values};
pub use table::separator;

use crate::bvh;
use crate::glb::Character;
use jam_rig::Wiring;
use jam_score::Control;
use source::{MOST_MOMENTS, MOST_VALUES};

/// Reads motion for a character that is wired so.
///
/// # Errors
/// It is no motion, damaged, or nothing in it is known.
pub fn read(bytes: &[u8], wiring: &Wiring, reading: &Reading) -> Result<Source, BackError> {
    let text = || {
        std::str::from_utf8(bytes).map(|t| t.trim_start_matches('\u{feff}')).map_err(|_| BackError::Unknown)
    };
    let source = if bytes.starts_with(b"glTF") || bytes.starts_with(b"PK") {
        clip::read(&Character::read(bytes)?, wiring, reading)?
    } else if text()?.trim_start().starts_with('{') {
        if text()?.contains("\"asset\"") {
            clip::read(&Character::read(bytes)?, wiring, reading)?
        } else {
            curves::read(text()?)?
        }
    } else if text()?.trim_start().get(..9).is_some_and(|t| t.eq_ignore_ascii_case("HIERARCHY")) {
        let motion = bvh::read(bytes)?;
        let times = (0..motion.yaw.len()).map(|i| i as f64 * motion.step).collect();
        let rows =
            (0..motion.yaw.len()).map(|i| vec![motion.yaw[i], motion.pitch[i], motion.roll[i]]).collect();
        let controls = vec![Control::HeadYaw, Control::HeadPitch, Control::HeadRoll];
        let what = format!("head motion of {}", motion.joints.join(", "));
        Source {
            what,
            clips: Vec::new(),
            times,
            values: Values::Controls(controls, rows),
            ignored: Vec::new(),
        }
    } else {
        table::read(text()?, wiring, reading)?
    };
    let width = match &source.values {
        Values::Controls(names, _) => names.len(),
        Values::Outputs(names, _) => names.len(),
    };
    if width == 0 || source.times.is_empty() {
        return Err(BackError::Nothing);
    }
    if source.times.len() > MOST_MOMENTS || source.times.len() * width > MOST_VALUES {
        return Err(BackError::TooLong);
    }
    Ok(source)
}
