//! The head's motion as BVH: a neck that stays and a head that turns, nods and tilts. Layout from memory, proved by an
//! independent reader in the tests.

use jam_rig::Sampled;
use jam_score::Control;
use std::fmt::Write;

/// Length of neck and head in the file. Only the turns count.
const NECK: u32 = 8;
const HEAD: u32 = 18;

/// The file: `ROOT neck`, `JOINT head`, channels `Yrotation Xrotation Zrotation` in degrees, + to the character's left,
/// down, and to its right shoulder.
pub fn bvh(sampled: &Sampled) -> String {
    let mut out = format!(
        "HIERARCHY\nROOT neck\n{{\n\tOFFSET 0 0 0\n\tCHANNELS 6 Xposition Yposition Zposition Yrotation Xrotation Zrotation\n\
         \tJOINT head\n\t{{\n\t\tOFFSET 0 {NECK} 0\n\t\tCHANNELS 3 Yrotation Xrotation Zrotation\n\t\tEnd Site\n\t\t{{\n\
         \t\t\tOFFSET 0 {HEAD} 0\n\t\t}}\n\t}}\n}}\nMOTION\nFrames: {}\nFrame Time: {:.9}\n",
        sampled.faces.len(),
        sampled.grid.rate.frame_length().0
    );
    for face in &sampled.faces {
        let [yaw, pitch, roll] =
            [Control::HeadYaw, Control::HeadPitch, Control::HeadRoll].map(|c| face[c as usize] + 0.0);
        let _ = writeln!(out, "0 0 0 0 0 0 {yaw:.5} {pitch:.5} {roll:.5}");
    }
    out
}
