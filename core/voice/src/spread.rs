//! Work on the frames of a long recording, spread over all cores; of a short one it stays on one.

use rayon::prelude::*;

/// Frames that are worth a core's while: two and a half seconds.
const LEAST: usize = 256;

/// What `work` makes of each frame, in order; `room` is what it needs to work in.
pub(crate) fn spread<R, T: Send>(
    frames: usize,
    room: impl Fn() -> R + Sync + Send,
    work: impl Fn(&mut R, usize) -> T + Sync + Send,
) -> Vec<T> {
    (0..frames).into_par_iter().with_min_len(LEAST).map_init(room, work).collect()
}
