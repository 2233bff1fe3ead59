//! Sound files in, and a copy for listening out.

mod mp4;

use jam_sound::{Intake, Recording, RecordingError};
use std::fs::File;
use std::io::{Cursor, Read, Seek};
use std::panic::AssertUnwindSafe;
use std::path::Path;
use symphonia::core::codecs::audio::AudioDecoderOptions;
use symphonia::core::errors::Error as Decode;
use symphonia::core::formats::probe::Hint;
use symphonia::core::formats::{FormatOptions, TrackType};
use symphonia::core::io::{MediaSource, MediaSourceStream};
use symphonia::core::meta::MetadataOptions;

/// Most channels a recording may have.
const MAX_CHANNELS: usize = 8;
/// Longest recording, seconds, at any rate and of any number of channels.
const MAX_SECONDS: u64 = 3600;
/// Most samples of all channels together: that long, stereo at 48 kHz.
const MAX_SAMPLES: usize = 3600 * 48_000 * 2;

/// Why a sound file was not read.
#[derive(Debug, thiserror::Error)]
pub enum SoundError {
    #[error("it cannot be read: {0}")]
    File(#[from] std::io::Error),
    #[error("the file is empty; choose the recording again")]
    NoBytes,
    #[error(
        "this is no sound file that can be read (WAV, FLAC, MP3, Ogg Vorbis, M4A, AIFF); export the recording as WAV and bring it in again"
    )]
    NotSound,
    #[error("this sound file is damaged and cannot be read ({0}); export it again")]
    Damaged(String),
    #[error("this file holds sound in a way that cannot be read ({0}); export it as plain PCM or float WAV")]
    Unsupported(String),
    #[error(
        "the file has {0} channels; recordings of one to eight channels are read, so export the voice alone"
    )]
    Channels(usize),
    #[error("the recording is too long for one line; cut it into lines of less than an hour")]
    TooLong,
    #[error(transparent)]
    Recording(#[from] RecordingError),
}

impl From<Decode> for SoundError {
    fn from(error: Decode) -> SoundError {
        match error {
            Decode::Unsupported(what) => SoundError::Unsupported(what.to_string()),
            other => SoundError::Damaged(other.to_string()),
        }
    }
}

/// Reads a sound file (see [`decode`]) at its own rate.
///
/// # Errors
/// It is no sound in a form that is known, damaged, or too long.
pub fn read(bytes: &[u8]) -> Result<Recording, SoundError> {
    safely(|| decode(Box::new(Cursor::new(bytes)), bytes, bytes.len(), None))
}

/// Reads a sound file (see [`decode`]) and brings it to a rate on the way, for the analysis: waves that were cut off at full
/// scale are drawn in.
///
/// # Errors
/// It is no sound in a form that is known, damaged, or too long.
pub fn read_at(bytes: &[u8], rate: u32) -> Result<Recording, SoundError> {
    safely(|| decode(Box::new(Cursor::new(bytes)), bytes, bytes.len(), Some(rate)))
}

/// As [`read_at`], from the disk, without ever holding the whole file.
///
/// # Errors
/// It cannot be read, is no sound in a form that is known, damaged, or too long.
pub fn read_file(path: &Path, rate: u32) -> Result<Recording, SoundError> {
    let mut file = File::open(path)?;
    let mut start = Vec::new();
    file.by_ref().take(12).read_to_end(&mut start)?;
    if mp4::is(&start) {
        // What tells where its sound begins may lie anywhere in it; such files are small.
        file.read_to_end(&mut start)?;
        return read_at(&start, rate);
    }
    let length = usize::try_from(file.metadata()?.len()).unwrap_or(usize::MAX);
    file.rewind()?;
    safely(|| decode(Box::new(file), &start, length, Some(rate)))
}

/// A file that trips the decoder is damaged, not a crash.
fn safely(decode: impl FnOnce() -> Result<Recording, SoundError>) -> Result<Recording, SoundError> {
    std::panic::catch_unwind(AssertUnwindSafe(decode))
        .unwrap_or_else(|_| Err(SoundError::Damaged("its header contradicts itself".into())))
}

/// Reads WAV (integers of 8 to 32 bits, floats of 32 and 64, extensible and broadcast headers), AIFF, CAF,
/// FLAC, MP3, Ogg Vorbis and M4A (AAC, ALAC) of any rate and one to eight channels. What an encoder put
/// before the first sample is taken away where the file says how much it is, so time zero is the
/// recording's own. A file cut short gives what is left of it. `start` are its first bytes, of an MP4 file all.
fn decode(
    file: Box<dyn MediaSource + '_>,
    start: &[u8],
    length: usize,
    to: Option<u32>,
) -> Result<Recording, SoundError> {
    if start.is_empty() {
        return Err(SoundError::NoBytes);
    }
    let source = MediaSourceStream::new(file, Default::default());
    let probed = symphonia::default::get_probe().probe(
        &Hint::new(),
        source,
        FormatOptions::default(),
        MetadataOptions::default(),
    );
    let mut format = probed.map_err(|e| match e {
        // Nothing in it looks like a sound file; a header that does is a damaged one.
        Decode::Unsupported(_) | Decode::IoError(_) if !known(start) => SoundError::NotSound,
        other => other.into(),
    })?;
    let track = format.default_track(TrackType::Audio).ok_or(SoundError::NotSound)?;
    let id = track.id;
    let parameters = track
        .codec_params
        .as_ref()
        .and_then(|p| p.audio())
        .ok_or_else(|| SoundError::Unsupported("no sound parameters".into()))?;
    let mut decoder =
        symphonia::default::get_codecs().make_audio_decoder(parameters, &AudioDecoderOptions::default())?;
    let expected = track.num_frames.and_then(|n| usize::try_from(n).ok()).filter(|n| *n <= length);
    let mut intake: Option<Intake> = None;
    let mut before = 0;
    let mut planes: Vec<Vec<f32>> = Vec::new();
    loop {
        let packet = match format.next_packet() {
            Ok(Some(packet)) => packet,
            Ok(None) => break,
            Err(Decode::IoError(e)) if e.kind() == std::io::ErrorKind::UnexpectedEof => break,
            Err(e) => return Err(e.into()),
        };
        if packet.track_id != id {
            continue;
        }
        match decoder.decode(&packet) {
            Ok(decoded) => {
                if decoded.num_planes() > MAX_CHANNELS {
                    return Err(SoundError::Channels(decoded.num_planes()));
                }
                let rate = decoded.spec().rate();
                if intake.as_ref().is_some_and(|i| i.from() != rate) {
                    return Err(SoundError::Damaged("its sampling rate changes on the way".into()));
                }
                if intake.is_none() {
                    before = mp4::samples_before(start, rate);
                    let plain = Intake::new(rate, to.unwrap_or(rate), expected.unwrap_or(0))?;
                    intake = Some(if to.is_some() { plain.for_the_voice() } else { plain });
                }
                planes.clear();
                decoded.copy_to_vecs_planar(&mut planes);
            }
            // A broken packet between good ones is silence of its length, so that nothing after it moves.
            Err(Decode::DecodeError(_)) if intake.is_some() => {
                planes.iter_mut().for_each(|p| p.fill(0.0));
            }
            Err(e) => return Err(e.into()),
        }
        let Some(intake) = &mut intake else { continue };
        let skipped = before.min(planes.first().map_or(0, Vec::len));
        before -= skipped;
        intake.push(planes.iter().map(|p| p.get(skipped..).unwrap_or_default()))?;
        let seconds = (intake.taken() / planes.len().max(1)) as u64 / u64::from(intake.from().max(1));
        if intake.taken() > MAX_SAMPLES || seconds > MAX_SECONDS {
            return Err(SoundError::TooLong);
        }
    }
    Ok(intake.ok_or(RecordingError::Empty)?.done()?)
}

/// Whether a file begins as a sound file does.
fn known(bytes: &[u8]) -> bool {
    let starts = |magic: &[u8]| bytes.starts_with(magic);
    let inside = |at: usize, magic: &[u8]| bytes.get(at..).is_some_and(|b| b.starts_with(magic));
    starts(b"RIFF") && inside(8, b"WAVE")
        || starts(b"FORM") && (inside(8, b"AIFF") || inside(8, b"AIFC"))
        || starts(b"caff")
        || starts(b"fLaC")
        || starts(b"OggS")
        || starts(b"ID3")
        || mp4::is(bytes)
}

/// A copy that any browser plays: one channel, 16 bits, the recording's own rate and length.
///
/// # Errors
/// It is larger than such a file can be, 4 GB.
pub fn listening_copy(recording: &Recording) -> Result<Vec<u8>, SoundError> {
    let spec = hound::WavSpec {
        channels: 1,
        sample_rate: recording.rate(),
        bits_per_sample: 16,
        sample_format: hound::SampleFormat::Int,
    };
    let mut bytes = Cursor::new(Vec::new());
    let written = (|| {
        let mut writer = hound::WavWriter::new(&mut bytes, spec)?;
        for sample in recording.mono().iter() {
            writer.write_sample((sample.clamp(-1.0, 1.0) * 32767.0).round() as i16)?;
        }
        writer.finalize()
    })();
    written.map_err(|e| SoundError::Damaged(e.to_string()))?;
    Ok(bytes.into_inner())
}
