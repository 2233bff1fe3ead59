//! Where the sound of an MP4 file begins: its edit list leaves out what the encoder put before it (ISO/IEC
//! 14496-12, 8.6.6), which the decoder does not take away.

/// Boxes that hold boxes on the way to the edit list.
const AROUND: [&[u8; 4]; 4] = [b"moov", b"trak", b"edts", b"mdia"];
const DEEPEST: usize = 6;

/// What is said of one track.
#[derive(Default)]
struct Track {
    /// Start of what it plays in its own units.
    start: Option<u64>,
    /// Its units a second.
    scale: Option<u32>,
    is_sound: bool,
}

fn number(bytes: &[u8], at: usize, size: usize) -> Option<u64> {
    Some(bytes.get(at..at + size)?.iter().fold(0, |n, b| n << 8 | u64::from(*b)))
}

fn walk(bytes: &[u8], depth: usize, tracks: &mut Vec<Track>) {
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
            if kind == b"trak" {
                tracks.push(Track::default());
            }
            walk(body, depth + 1, tracks);
        } else if let Some(track) = tracks.last_mut() {
            read(kind, version, body, track);
        }
        at = end;
    }
}

/// What one box says of the track it lies in.
fn read(kind: &[u8], version: u8, body: &[u8], track: &mut Track) {
    match kind {
        b"mdhd" => track.scale = number(body, if version == 1 { 20 } else { 12 }, 4).map(|n| n as u32),
        // The kind of its media (8.4.3).
        b"hdlr" => track.is_sound |= body.get(8..12) == Some(b"soun"),
        b"elst" => {
            let wide = if version == 1 { 8 } else { 4 };
            let each = 2 * wide + 4;
            let entries = (0..number(body, 4, 4).unwrap_or(0).min(64) as usize).filter_map(|i| {
                let time = number(body, 8 + i * each + wide, wide)?;
                // An empty edit only waits.
                let empty = if wide == 8 { u64::MAX } else { u64::from(u32::MAX) };
                (time != empty).then_some(time)
            });
            track.start = entries.into_iter().next();
        }
        _ => {}
    }
}

/// Whether a file begins as an MP4 file does.
pub fn is(bytes: &[u8]) -> bool {
    bytes.get(4..8) == Some(b"ftyp")
}

/// Samples before the sound of the first track that has some, at `rate` samples a second; 0 if the file says nothing.
pub fn samples_before(bytes: &[u8], rate: u32) -> usize {
    if !is(bytes) {
        return 0;
    }
    let mut tracks = Vec::new();
    walk(bytes, 0, &mut tracks);
    let Some(found) = tracks.into_iter().find(|t| t.is_sound) else { return 0 };
    let (Some(start), Some(scale)) = (found.start, found.scale.filter(|s| *s > 0)) else { return 0 };
    // More than a second before the sound is no encoder's doing but an edit, and what was cut is kept.
    let samples = start as u128 * u128::from(rate) / u128::from(scale);
    if samples > u128::from(rate) { 0 } else { samples as usize }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn boxed(kind: &[u8; 4], body: &[u8]) -> Vec<u8> {
        [&(body.len() as u32 + 8).to_be_bytes()[..], kind, body].concat()
    }

    /// A track with its kind, its units a second and where its edit list starts (ISO/IEC 14496-12, 8.4 and 8.6.6).
    fn track(kind: &[u8; 4], scale: u32, start: u32) -> Vec<u8> {
        let numbers = |all: &[u32]| all.iter().flat_map(|n| n.to_be_bytes()).collect::<Vec<u8>>();
        let edits = boxed(b"edts", &boxed(b"elst", &numbers(&[0, 1, 1000, start, 0x0001_0000])));
        let header = boxed(b"mdhd", &numbers(&[0, 0, 0, scale, 9_999]));
        let handler = boxed(b"hdlr", &[&numbers(&[0, 0])[..], kind, &[0; 12]].concat());
        boxed(b"trak", &[edits, boxed(b"mdia", &[header, handler].concat())].concat())
    }

    #[test]
    fn the_edit_list_of_the_sound_counts_whatever_track_comes_first() {
        let start = boxed(b"ftyp", b"M4A \0\0\0\0");
        let file = |tracks: &[Vec<u8>]| [start.clone(), boxed(b"moov", &tracks.concat())].concat();
        let (picture, sound) = (track(b"vide", 12_800, 512), track(b"soun", 44_100, 1_024));
        assert_eq!(samples_before(&file(&[picture.clone(), sound.clone()]), 44_100), 1_024);
        assert_eq!(samples_before(&file(&[sound, picture.clone()]), 44_100), 1_024);
        assert_eq!(samples_before(&file(&[picture]), 44_100), 0);
    }
}
