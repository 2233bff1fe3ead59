//! Where the sound of an MP4 file begins: its edit list leaves out what the encoder put before it (ISO/IEC
//! 14496-12, 8.6.6), which the decoder does not take away.

/// Boxes that hold boxes on the way to the edit list.
const AROUND: [&[u8; 4]; 4] = [b"moov", b"trak", b"edts", b"mdia"];
const DEEPEST: usize = 6;

#[derive(Default)]
struct Found {
    /// Start of the sound in the track's own units.
    start: Option<u64>,
    /// Units of the track a second.
    scale: Option<u32>,
}

fn number(bytes: &[u8], at: usize, size: usize) -> Option<u64> {
    Some(bytes.get(at..at + size)?.iter().fold(0, |n, b| n << 8 | u64::from(*b)))
}

fn walk(bytes: &[u8], depth: usize, found: &mut Found) {
    let mut at = 0;
    while let (Some(size), Some(kind)) = (number(bytes, at, 4), bytes.get(at + 4..at + 8)) {
        let (head, size) = match size {
            0 => (8, (bytes.len() - at) as u64),
            1 => (16, number(bytes, at + 8, 8).unwrap_or(0)),
            size => (8, size),
        };
        let Some(end) = usize::try_from(size).ok().and_then(|s| at.checked_add(s)) else { return };
        if size < head as u64 || end > bytes.len() {
            return;
        }
        let body = &bytes[at + head..end];
        let version = body.first().copied().unwrap_or(0);
        if AROUND.iter().any(|a| kind == a.as_slice()) && depth < DEEPEST {
            walk(body, depth + 1, found);
        } else if kind == b"mdhd" && found.scale.is_none() {
            found.scale = number(body, if version == 1 { 20 } else { 12 }, 4).map(|n| n as u32);
        } else if kind == b"elst" && found.start.is_none() {
            let wide = if version == 1 { 8 } else { 4 };
            let each = 2 * wide + 4;
            let entries = (0..number(body, 4, 4).unwrap_or(0).min(64) as usize).filter_map(|i| {
                let time = number(body, 8 + i * each + wide, wide)?;
                // An empty edit only waits.
                let empty = if wide == 8 { u64::MAX } else { u64::from(u32::MAX) };
                (time != empty).then_some(time)
            });
            found.start = entries.into_iter().next();
        }
        at = end;
    }
}

/// Whether a file begins as an MP4 file does.
pub fn is(bytes: &[u8]) -> bool {
    bytes.get(4..8) == Some(b"ftyp")
}

/// Samples before the sound of the first track, at `rate` samples a second; 0 if the file says nothing.
pub fn samples_before(bytes: &[u8], rate: u32) -> usize {
    if !is(bytes) {
        return 0;
    }
    let mut found = Found::default();
    walk(bytes, 0, &mut found);
    let (Some(start), Some(scale)) = (found.start, found.scale.filter(|s| *s > 0)) else { return 0 };
    // More than a second before the sound is no encoder's doing but an edit, and what was cut is kept.
    let samples = start as u128 * u128::from(rate) / u128::from(scale);
    if samples > u128::from(rate) { 0 } else { samples as usize }
}
