//! Sound files in, and a copy for listening out.

mod mp4;

use jam_voice::{Recording, RecordingError};
use std::io::Cursor;
use symphonia::core::codecs::audio::AudioDecoderOptions;
use symphonia::core::errors::Error as Decode;
use symphonia::core::formats::probe::Hint;
use symphonia::core::formats::{FormatOptions, TrackType};
use symphonia::core::io::MediaSourceStream;
use symphonia::core::meta::MetadataOptions;

/// Most channels a recording may have.
const MAX_CHANNELS: usize = 8;
/// Most samples of all channels together: an hour of stereo at 48 kHz.
const MAX_SAMPLES: usize = 3600 * 48_000 * 2;

/// Why a sound file was not read.
#[derive(Debug, thiserror::Error)]
pub enum SoundError {
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

/// Reads a sound file (see [`decode`]); a file that trips the decoder is damaged, not a crash.
pub fn read(bytes: &[u8]) -> Result<Recording, SoundError> {
    std::panic::catch_unwind(|| decode(bytes))
        .unwrap_or_else(|_| Err(SoundError::Damaged("its header contradicts itself".into())))
}

/// Reads WAV (integers of 8 to 32 bits, floats of 32 and 64, extensible and broadcast headers), AIFF, CAF,
/// FLAC, MP3, Ogg Vorbis and M4A (AAC, ALAC) of any rate and one to eight channels. What an encoder put
/// before the first sample is taken away where the file says how much it is, so time zero is the
/// recording's own. A file cut short gives what is left of it.
fn decode(bytes: &[u8]) -> Result<Recording, SoundError> {
    if bytes.is_empty() {
        return Err(SoundError::NoBytes);
    }
    let source = MediaSourceStream::new(Box::new(Cursor::new(bytes.to_vec())), Default::default());
    let probed = symphonia::default::get_probe().probe(
        &Hint::new(),
        source,
        FormatOptions::default(),
        MetadataOptions::default(),
    );
    let mut format = probed.map_err(|e| match e {
        // Nothing in it looks like a sound file; a header that does is a damaged one.
        Decode::Unsupported(_) | Decode::IoError(_) if !known(bytes) => SoundError::NotSound,
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
    let expected = track.num_frames.and_then(|n| usize::try_from(n).ok());
    let mut channels: Vec<Vec<f32>> = Vec::new();
    let mut rate = parameters.sample_rate.unwrap_or(0);
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
                rate = decoded.spec().rate();
                planes.clear();
                decoded.copy_to_vecs_planar(&mut planes);
            }
            // A broken packet between good ones is silence of its length, so that nothing after it moves.
            Err(Decode::DecodeError(_)) if !channels.is_empty() => {
                planes.iter_mut().for_each(|p| p.fill(0.0));
            }
            Err(e) => return Err(e.into()),
        }
        // Room for all of it at once, where the file says how long it is; growing would need it twice.
        let room = expected.filter(|n| *n <= bytes.len()).unwrap_or(0);
        channels.resize_with(planes.len().max(channels.len()), || Vec::with_capacity(room));
        for (channel, plane) in channels.iter_mut().zip(&planes) {
            channel.extend_from_slice(plane);
        }
        if channels.iter().map(Vec::len).sum::<usize>() > MAX_SAMPLES {
            return Err(SoundError::TooLong);
        }
    }
    let before = mp4::samples_before(bytes, rate);
    channels.iter_mut().for_each(|c| drop(c.drain(..before.min(c.len()))));
    Ok(Recording::new(rate, channels)?)
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
        || inside(4, b"ftyp")
}

/// A copy that any browser plays: one channel, 16 bits, the recording's own rate and length.
pub fn listening_copy(recording: &Recording) -> Vec<u8> {
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
    // Writing to memory fails only past 4 GB, far above what `read` accepts.
    debug_assert!(written.is_ok());
    bytes.into_inner()
}
