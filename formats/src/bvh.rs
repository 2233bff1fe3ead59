//! Body motion in: how head and neck turn against the trunk, from a BVH file (Biovision hierarchy, a plain text format
//! that motion programs exchange; from memory). Y is up, the body looks along +Z, angles are degrees.

use glam::{DMat3, EulerRot};
use std::fmt;

/// How the head turns against the trunk, at even steps; degrees, + to the character's left, + down, + towards its right
/// shoulder.
#[derive(Debug, Clone, PartialEq)]
pub struct HeadMotion {
    /// Seconds between values.
    pub step: f64,
    pub yaw: Vec<f32>,
    pub pitch: Vec<f32>,
    pub roll: Vec<f32>,
    /// The joints that were read, from the trunk up.
    pub joints: Vec<String>,
}

/// Why there is no head motion in a file.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BvhError {
    #[error("this is no BVH file; export the motion as BVH text")]
    NotBvh,
    #[error("the BVH file breaks off or is damaged near “{0}”; export it again")]
    Damaged(String),
    #[error("the skeleton has no joint with “head” or “neck” in its name; rename it, or export one that has")]
    NoHead,
    #[error("the motion is longer than an hour or has more than {MAX_FRAMES} frames; cut it to the line")]
    TooLong,
}

/// Most frames that are read.
const MAX_FRAMES: usize = 500_000;
/// Deepest and largest skeleton.
const MAX_JOINTS: usize = 2000;

#[derive(Debug, Clone, Copy, PartialEq)]
enum Channel {
    X,
    Y,
    Z,
    Place,
}

struct Joint {
    name: String,
    parent: Option<usize>,
    channels: Vec<Channel>,
    first: usize,
}

fn turn(axis: Channel, degrees: f64) -> DMat3 {
    let angle = degrees.to_radians();
    match axis {
        Channel::X => DMat3::from_rotation_x(angle),
        Channel::Y => DMat3::from_rotation_y(angle),
        Channel::Z => DMat3::from_rotation_z(angle),
        Channel::Place => DMat3::IDENTITY,
    }
}

/// Words of the file, one after the other.
struct Words<'a>(std::iter::Peekable<std::str::SplitWhitespace<'a>>);

impl<'a> Words<'a> {
    fn next(&mut self) -> Result<&'a str, BvhError> {
        self.0.next().ok_or_else(|| BvhError::Damaged("the end".into()))
    }

    fn expect(&mut self, word: &str) -> Result<(), BvhError> {
        let found = self.next()?;
        if found.eq_ignore_ascii_case(word) { Ok(()) } else { Err(damaged(found)) }
    }

    fn number(&mut self) -> Result<f64, BvhError> {
        let word = self.next()?;
        word.parse().ok().filter(|v: &f64| v.is_finite()).ok_or_else(|| damaged(word))
    }
}

fn damaged(near: impl fmt::Display) -> BvhError {
    BvhError::Damaged(near.to_string().chars().take(40).collect())
}

/// The joints in the order of their channels, and how many channels there are.
fn hierarchy(words: &mut Words<'_>) -> Result<(Vec<Joint>, usize), BvhError> {
    let mut joints: Vec<Joint> = Vec::new();
    let (mut open, mut channels): (Vec<Option<usize>>, usize) = (Vec::new(), 0);
    loop {
        let word = words.next()?;
        match word.to_ascii_uppercase().as_str() {
            "ROOT" | "JOINT" => {
                let name = words.next()?.to_string();
                words.expect("{")?;
                let parent = open.last().copied().flatten();
                joints.push(Joint { name, parent, channels: Vec::new(), first: channels });
                open.push(Some(joints.len() - 1));
                if joints.len() > MAX_JOINTS {
                    return Err(damaged(word));
                }
            }
            "END" => {
                words.expect("Site")?;
                words.expect("{")?;
                open.push(None);
            }
            "OFFSET" => {
                for _ in 0..3 {
                    words.number()?;
                }
            }
            "CHANNELS" => {
                let count = words.number()? as usize;
                let Some(joint) = open.last().copied().flatten().and_then(|i| joints.get_mut(i)) else {
                    return Err(damaged(word));
                };
                // Three turns and three places are all there is of a joint; the file's own number is not trusted.
                if count > 6 {
                    return Err(damaged(format!("CHANNELS {count}")));
                }
                joint.first = channels;
                for _ in 0..count {
                    joint.channels.push(match words.next()?.to_ascii_lowercase().as_str() {
                        "xrotation" => Channel::X,
                        "yrotation" => Channel::Y,
                        "zrotation" => Channel::Z,
                        "xposition" | "yposition" | "zposition" => Channel::Place,
                        other => return Err(damaged(other)),
                    });
                }
                channels += count;
            }
            "}" => {
                open.pop().ok_or_else(|| damaged(word))?;
            }
            "MOTION" => return Ok((joints, channels)),
            _ => return Err(damaged(word)),
        }
    }
}

/// Reads how the head turns.
///
/// # Errors
/// It is no BVH, damaged, without a head or neck, or too long.
pub fn read(bytes: &[u8]) -> Result<HeadMotion, BvhError> {
    let text = std::str::from_utf8(bytes).map_err(|_| BvhError::NotBvh)?;
    let mut words = Words(text.trim_start_matches('\u{feff}').split_whitespace().peekable());
    if !words.0.peek().is_some_and(|w| w.eq_ignore_ascii_case("HIERARCHY")) {
        return Err(BvhError::NotBvh);
    }
    words.next()?;
    let (joints, channels) = hierarchy(&mut words)?;
    words.expect("Frames:")?;
    let frames = words.number()? as usize;
    words.expect("Frame")?;
    words.expect("Time:")?;
    let step = words.number()?;
    if frames > MAX_FRAMES || frames as f64 * step > 3600.0 {
        return Err(BvhError::TooLong);
    }
    if frames == 0 || step < 1e-4 {
        return Err(damaged("Frame Time"));
    }
    // The head, else the last of the neck; and what of the neck carries it.
    let named = |part: &str| joints.iter().rposition(|j| j.name.to_lowercase().contains(part));
    let head = joints.iter().position(|j| j.name.to_lowercase().contains("head")).or(named("neck"));
    let head = head.ok_or(BvhError::NoHead)?;
    let mut chain = vec![head];
    let mut up = joints[head].parent;
    while let Some(i) = up.filter(|i| joints[*i].name.to_lowercase().contains("neck")) {
        chain.push(i);
        up = joints[i].parent;
    }
    chain.reverse();
    let mut motion = HeadMotion {
        step,
        yaw: Vec::with_capacity(frames),
        pitch: Vec::with_capacity(frames),
        roll: Vec::with_capacity(frames),
        joints: chain.iter().map(|i| joints[*i].name.clone()).collect(),
    };
    let mut values = vec![0.0; channels];
    for _ in 0..frames {
        for value in &mut values {
            *value = words.number()?;
        }
        let mut turned = DMat3::IDENTITY;
        for joint in chain.iter().map(|i| &joints[*i]) {
            for (k, channel) in joint.channels.iter().enumerate() {
                let value = values.get(joint.first + k).copied().unwrap_or(0.0);
                turned *= turn(*channel, value);
            }
        }
        // Turned first about the upright axis, then nodded, then tilted.
        let (yaw, pitch, roll) = turned.to_euler(EulerRot::YXZ);
        motion.yaw.push(yaw.to_degrees() as f32);
        motion.pitch.push(pitch.to_degrees() as f32);
        motion.roll.push(roll.to_degrees() as f32);
    }
    Ok(motion)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(order: &str, neck: [f64; 3], head: [f64; 3]) -> String {
        let numbers = |v: [f64; 3]| v.map(|x| x.to_string()).join(" ");
        format!(
            "HIERARCHY\nROOT Hips\n{{\n OFFSET 0 90 0\n CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\n JOINT Neck\n {{\n  OFFSET 0 50 0\n  CHANNELS 3 {order}\n  JOINT Head\n  {{\n   OFFSET 0 8 0\n   CHANNELS 3 {order}\n   End Site\n   {{\n    OFFSET 0 15 0\n   }}\n  }}\n }}\n}}\nMOTION\nFrames: 2\nFrame Time: 0.0333333\n0 90 0 30 40 50 0 0 0 0 0 0\n0 90 0 0 0 0 {} {}\n",
            numbers(neck),
            numbers(head)
        )
    }

    /// Turns about single axes come out as they went in, in any order of channels; neck and head add up; the hips do
    /// not count. Source: rotations about the axes of a right-handed space, as BVH's are.
    #[test]
    fn head_and_neck_turn_against_the_trunk() {
        for order in [
            "Zrotation Xrotation Yrotation",
            "Xrotation Yrotation Zrotation",
            "Yrotation Xrotation Zrotation",
        ] {
            let axes: Vec<&str> = order.split(' ').collect();
            let of = |axis: &str, degrees: f64| -> [f64; 3] {
                std::array::from_fn(|k| if axes[k] == axis { degrees } else { 0.0 })
            };
            for (axis, expected) in [
                ("Yrotation", [15.0, 0.0, 0.0]),
                ("Xrotation", [0.0, 15.0, 0.0]),
                ("Zrotation", [0.0, 0.0, 15.0]),
            ] {
                let motion = read(file(order, of(axis, 5.0), of(axis, 10.0)).as_bytes())
                    .unwrap_or_else(|e| panic!("{e}"));
                let now = [motion.yaw[1], motion.pitch[1], motion.roll[1]];
                for (a, b) in now.iter().zip(expected) {
                    assert!((f64::from(*a) - b).abs() < 1e-4, "{order} {axis}: {now:?}");
                }
                assert_eq!((motion.yaw[0], motion.pitch[0], motion.roll[0]), (0.0, 0.0, 0.0));
                assert_eq!(motion.joints, ["Neck", "Head"]);
                assert!((motion.step - 1.0 / 30.0).abs() < 1e-6);
            }
        }
    }

    #[test]
    fn what_is_no_motion_says_so() {
        assert_eq!(read(b"RIFF\xff"), Err(BvhError::NotBvh));
        assert_eq!(read(b"hello"), Err(BvhError::NotBvh));
        let whole = file("Zrotation Xrotation Yrotation", [0.0; 3], [0.0; 3]);
        assert_eq!(
            read(whole.replace("Head", "Hat").replace("Neck", "Neat").as_bytes()),
            Err(BvhError::NoHead)
        );
        assert_eq!(read(whole.replace("Frames: 2", "Frames: 900000").as_bytes()), Err(BvhError::TooLong));
        let huge = whole.replacen("CHANNELS 6", "CHANNELS 999999999999", 1);
        assert!(
            matches!(read(huge.as_bytes()), Err(BvhError::Damaged(near)) if near.starts_with("CHANNELS"))
        );
        for cut in (10..whole.len()).step_by(7) {
            let found = read(&whole.as_bytes()[..cut]);
            assert!(found.is_err() || cut > whole.len() - 4, "{cut}");
        }
    }

    proptest::proptest! {
        #[test]
        fn anything_is_answered(bytes: Vec<u8>, words in "(HIERARCHY|ROOT|JOINT|END|Site|OFFSET|CHANNELS|MOTION|[{}]|-?[0-9]{1,9}|head| )*") {
            let _ = read(&bytes);
            let _ = read(format!("HIERARCHY {words}").as_bytes());
        }
    }
}
