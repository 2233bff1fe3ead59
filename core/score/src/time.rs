//! Time in its units. Seconds, frames and samples never mix by accident: each has its type, and
//! every conversion lives here.

use serde::{Deserialize, Serialize};
use std::fmt;
use std::ops::{Add, Sub};
use std::str::FromStr;

/// A moment or a length in seconds, counted from the first sample of the recording.
#[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(transparent)]
pub struct Seconds(pub f64);

impl Seconds {
    pub const ZERO: Seconds = Seconds(0.0);

    /// The length of `samples` samples at `rate` samples a second.
    pub fn of_samples(samples: usize, rate: u32) -> Seconds {
        Seconds(samples as f64 / f64::from(rate.max(1)))
    }

    pub fn max(self, other: Seconds) -> Seconds {
        Seconds(self.0.max(other.0))
    }

    pub fn min(self, other: Seconds) -> Seconds {
        Seconds(self.0.min(other.0))
    }
}

impl Add for Seconds {
    type Output = Seconds;
    fn add(self, other: Seconds) -> Seconds {
        Seconds(self.0 + other.0)
    }
}

impl Sub for Seconds {
    type Output = Seconds;
    fn sub(self, other: Seconds) -> Seconds {
        Seconds(self.0 - other.0)
    }
}

/// A half-open stretch of time, `start <= t < end`.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Span {
    pub start: Seconds,
    pub end: Seconds,
}

impl Span {
    pub fn new(start: f64, end: f64) -> Span {
        Span { start: Seconds(start), end: Seconds(end) }
    }

    pub fn length(self) -> Seconds {
        self.end - self.start
    }

    pub fn middle(self) -> Seconds {
        Seconds(0.5 * (self.start.0 + self.end.0))
    }
}

/// A frame number on a production's grid.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, utoipa::ToSchema,
)]
#[serde(transparent)]
pub struct Frame(pub i64);

/// Most that a first frame's number is away from zero.
pub const MAX_FIRST_FRAME: i64 = 10_000_000;

/// Why a number cannot be that of a first frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("the first frame's number lies within ten million of zero, {0} does not")]
pub struct FirstFrameError(pub i64);

impl Frame {
    /// The first frame of a grid.
    ///
    /// # Errors
    /// The number lies too far from zero to be counted on from.
    pub fn first(number: i64) -> Result<Frame, FirstFrameError> {
        let near = (-MAX_FIRST_FRAME..=MAX_FIRST_FRAME).contains(&number);
        if near { Ok(Frame(number)) } else { Err(FirstFrameError(number)) }
    }
}

/// Frames a second as an exact fraction: 24/1, 30000/1001.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct FrameRate {
    pub num: u32,
    pub den: u32,
}

/// Why a frame rate was refused.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum FrameRateError {
    #[error("“{0}” is not a frame rate; write a number such as 24, or a fraction such as 30000/1001")]
    NotANumber(String),
    #[error("a frame rate lies between 1 and 240 frames a second, {num}/{den} does not")]
    OutOfRange { num: u32, den: u32 },
}

impl FrameRate {
    pub const FILM: FrameRate = FrameRate { num: 24, den: 1 };

    /// # Errors
    /// Not between 1 and 240 frames a second.
    pub fn new(num: u32, den: u32) -> Result<FrameRate, FrameRateError> {
        let fits = den > 0 && num >= den && u64::from(num) <= 240 * u64::from(den);
        if fits { Ok(FrameRate { num, den }) } else { Err(FrameRateError::OutOfRange { num, den }) }
    }

    /// Frames a second, rounded to a double.
    pub fn per_second(self) -> f64 {
        f64::from(self.num) / f64::from(self.den)
    }

    /// The length of one frame.
    pub fn frame_length(self) -> Seconds {
        Seconds(f64::from(self.den) / f64::from(self.num))
    }
}

impl FromStr for FrameRate {
    type Err = FrameRateError;

    /// Reads `24`, `30000/1001`, or a decimal: `23.976` and its like are the whole rate beside it slowed down by
    /// 1000/1001 (SMPTE ST 12-1), others what they say, to thousandths.
    fn from_str(text: &str) -> Result<FrameRate, FrameRateError> {
        let bad = || FrameRateError::NotANumber(text.to_string());
        let decimal = text.trim().replace(',', ".");
        if let Some((_, behind)) = decimal.split_once('.') {
            let value: f64 = decimal.parse().map_err(|_| bad())?;
            let whole = value.ceil();
            let slowed = whole * 1000.0 / 1001.0;
            // As exact as it was written: 23.98 means 23.976, too, but 23.9 does not.
            let digits = behind.len().min(6) as i32;
            if digits >= 2 && (value - slowed).abs() <= 0.5 * 10f64.powi(-digits) + 1e-9 && whole <= 240.0 {
                return FrameRate::new(whole as u32 * 1000, 1001);
            }
            let thousandths = (value * 1000.0).round();
            if !(1000.0..=240_000.0).contains(&thousandths) {
                return Err(bad());
            }
            let divisor = greatest_common(thousandths as u32, 1000);
            return FrameRate::new(thousandths as u32 / divisor, 1000 / divisor);
        }
        let (num, den) = text.split_once('/').unwrap_or((text, "1"));
        let num = num.trim().parse().map_err(|_| bad())?;
        let den = den.trim().parse().map_err(|_| bad())?;
        FrameRate::new(num, den)
    }
}

fn greatest_common(a: u32, b: u32) -> u32 {
    if b == 0 { a } else { greatest_common(b, a % b) }
}

impl fmt::Display for FrameRate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.den == 1 { write!(f, "{}", self.num) } else { write!(f, "{}/{}", self.num, self.den) }
    }
}

/// A production's frames: how many a second, and the number of the one at time zero.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct FrameGrid {
    pub rate: FrameRate,
    pub first: Frame,
}

impl FrameGrid {
    /// The moment at which `frame` is shown.
    pub fn time_of(self, frame: Frame) -> Seconds {
        let index = frame.0.saturating_sub(self.first.0);
        Seconds(index as f64 * f64::from(self.rate.den) / f64::from(self.rate.num))
    }

    /// The frame on screen at `time`: the last one that started at or before it.
    pub fn frame_at(self, time: Seconds) -> Frame {
        // A moment that is a frame's own start must give that frame, whatever rounding made of it.
        let index = (time.0 * self.rate.per_second() + 1e-6).floor();
        Frame(self.first.0.saturating_add(index as i64))
    }

    /// How many frames it takes until one starts at or after `length`, the one at zero included:
    /// a clip this long covers a sound of that length to its last sample.
    pub fn frames_covering(self, length: Seconds) -> i64 {
        ((length.0 * self.rate.per_second() - 1e-6).ceil() as i64).max(0) + 1
    }
}

/// Frames of rest after the frame that holds the sound's last sample.
pub const TAIL_FRAMES: i64 = 6;

/// Length of the rest after the sound: one frame more than is shown, because sound rarely ends on a frame.
pub fn tail(rate: FrameRate) -> Seconds {
    Seconds((TAIL_FRAMES + 1) as f64 * rate.frame_length().0)
}

/// Which frames a line has of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default)]
pub struct OwnFrames {
    /// The number of the frame at time zero; the production's if there is none.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub first: Option<Frame>,
    /// Handles: frames before time zero and after the tail.
    #[serde(skip_serializing_if = "is_zero")]
    pub before: u32,
    #[serde(skip_serializing_if = "is_zero")]
    pub after: u32,
    /// Idle motion: it comes round without a seam. It has no tail, and its last frame is its first once more.
    #[serde(skip_serializing_if = "is_false")]
    pub loops: bool,
}

fn is_false(b: &bool) -> bool {
    !*b
}

fn is_zero(n: &u32) -> bool {
    *n == 0
}

/// Most frames of a handle.
pub const MAX_HANDLE: u32 = 2000;

impl OwnFrames {
    /// The grid that a line has within a production's.
    pub fn grid(self, production: FrameGrid) -> FrameGrid {
        FrameGrid { first: self.first.unwrap_or(production.first), ..production }
    }
}

/// The frames of a line's shot: from the first through the tail, handles included.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Shot {
    pub first: Frame,
    /// The last frame that holds sound.
    pub last_sound: Frame,
    pub last: Frame,
}

impl Shot {
    /// The shot of a sound of this length on a line's grid, with its handles.
    pub fn of(grid: FrameGrid, sound: Seconds, own: OwnFrames) -> Shot {
        let last_sound = Frame(grid.first.0 + grid.frames_covering(sound) - 1);
        let tail = if own.loops { 0 } else { TAIL_FRAMES };
        let last = Frame(last_sound.0 + tail + i64::from(own.after));
        Shot { first: Frame(grid.first.0 - i64::from(own.before)), last_sound, last }
    }

    /// How many frames it has.
    pub fn frames(self) -> usize {
        (self.last.0 - self.first.0 + 1).max(0) as usize
    }
}
