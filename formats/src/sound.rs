//! Sound files in, and a copy for listening out.

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
    #[error("this is not a WAV file; export the recording as WAV and bring it in again")]
    NotSound,
    #[error("this WAV file is damaged and cannot be read ({0}); export it again")]
    Damaged(String),
    #[error(
        "this WAV file holds sound in a way that cannot be read ({0}); export it as plain PCM or float WAV"
    )]
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

/// Reads a WAV file (see [`decode`]); a file that trips the decoder is damaged, not a crash.
pub fn read(bytes: &[u8]) -> Result<Recording, SoundError> {
    std::panic::catch_unwind(|| decode(bytes))
        .unwrap_or_else(|_| Err(SoundError::Damaged("its header contradicts itself".into())))
}

/// Reads a WAV file: integers of 8 to 32 bits and floats of 32 and 64, any rate, one to eight
/// channels, extensible headers with them. A file cut short gives what is left of it.
fn decode(bytes: &[u8]) -> Result<Recording, SoundError> {
    if bytes.is_empty() {
        return Err(SoundError::NoBytes);
    }
    let riff = bytes.starts_with(b"RIFF") && bytes.get(8..12) == Some(b"WAVE");
    if !riff {
        return Err(SoundError::NotSound);
    }
    let source = MediaSourceStream::new(Box::new(Cursor::new(bytes.to_vec())), Default::default());
    let mut hint = Hint::new();
    hint.with_extension("wav");
    let mut format = symphonia::default::get_probe().probe(
        &hint,
        source,
        FormatOptions::default(),
        MetadataOptions::default(),
    )?;
    let track = format.default_track(TrackType::Audio).ok_or(SoundError::NotSound)?;
    let id = track.id;
    let parameters = track
        .codec_params
        .as_ref()
        .and_then(|p| p.audio())
        .ok_or_else(|| SoundError::Unsupported("no sound parameters".into()))?;
    let mut decoder =
        symphonia::default::get_codecs().make_audio_decoder(parameters, &AudioDecoderOptions::default())?;
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
        let decoded = decoder.decode(&packet)?;
        if decoded.num_planes() > MAX_CHANNELS {
            return Err(SoundError::Channels(decoded.num_planes()));
        }
        rate = decoded.spec().rate();
        planes.clear();
        decoded.copy_to_vecs_planar(&mut planes);
        channels.resize_with(planes.len().max(channels.len()), Vec::new);
        for (channel, plane) in channels.iter_mut().zip(&planes) {
            channel.extend_from_slice(plane);
        }
        if channels.iter().map(Vec::len).sum::<usize>() > MAX_SAMPLES {
            return Err(SoundError::TooLong);
        }
    }
    Ok(Recording::new(rate, channels)?)
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
        for sample in recording.mono() {
            writer.write_sample((sample.clamp(-1.0, 1.0) * 32767.0).round() as i16)?;
        }
        writer.finalize()
    })();
    // Writing to memory fails only past 4 GB, far above what `read` accepts.
    debug_assert!(written.is_ok());
    bytes.into_inner()
}
