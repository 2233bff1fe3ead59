//! The acoustic model, read from its published binary files.
//!
//! 42 base phones with three states each, 5126 tied states (*senones*), one codebook of 128
//! gaussians a base phone and stream. The layout of each file is described beside its reader; all
//! numbers are little-endian. Readers check every count against the file's length before they trust
//! it.

use crate::features::CEPSTRA;
use std::collections::HashMap;
use std::sync::OnceLock;

/// Gaussians of a codebook.
pub const DENSITIES: usize = 128;
/// Feature streams: cepstra, first and second differences.
pub const STREAMS: usize = 3;
/// Emitting states of a phone.
pub const STATES: usize = 3;
/// One step of a quantised mixture weight in nats: 1024 ln 1.0001.
pub const WEIGHT_STEP: f32 = 0.102_394_88;

/// Where a phone stands in its word, as the model numbers it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Position {
    Internal = 0,
    Begin = 1,
    End = 2,
    Single = 3,
}

/// What is wrong with a model file.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ModelError {
    #[error("the acoustic model's file “{0}” ends too early")]
    Short(&'static str),
    #[error("the acoustic model's file “{file}” is damaged: {what}")]
    Damaged { file: &'static str, what: &'static str },
}

/// The model's files as bytes.
pub struct ModelFiles<'a> {
    pub mdef: &'a [u8],
    pub means: &'a [u8],
    pub variances: &'a [u8],
    pub sendump: &'a [u8],
    pub transition_matrices: &'a [u8],
}

const SHIPPED: ModelFiles<'static> = ModelFiles {
    mdef: include_bytes!("../model/mdef"),
    means: include_bytes!("../model/means"),
    variances: include_bytes!("../model/variances"),
    sendump: include_bytes!("../model/sendump"),
    transition_matrices: include_bytes!("../model/transition_matrices"),
};

/// The gaussians of one codebook and stream, laid out for the scorer: `[dimension][density]`.
pub struct Codebook {
    pub mean: [[f32; DENSITIES]; CEPSTRA],
    /// 1 / (2 variance).
    pub precision: [[f32; DENSITIES]; CEPSTRA],
    /// -½ Σ ln(2π variance).
    pub constant: [f32; DENSITIES],
}

/// A phone in context: its states and its transitions.
#[derive(Debug, Clone, Copy)]
struct ModelPhone {
    states: u32,
    base: u8,
}

/// The acoustic model in memory, about 12 MB.
pub struct AcousticModel {
    names: Vec<String>,
    fillers: Vec<bool>,
    silence: u8,
    phones: Vec<ModelPhone>,
    state_sets: Vec<[u16; STATES]>,
    triphones: HashMap<u32, u32>,
    /// `[base phone][stream]`.
    codebooks: Vec<[Codebook; STREAMS]>,
    /// Base phone, and so codebook, of each senone.
    senone_base: Vec<u8>,
    /// Quantised negative log weights, `[senone][stream][density]`.
    weights: Vec<[[u8; DENSITIES]; STREAMS]>,
    /// ln P(stay), ln P(go on) of each state of each base phone.
    transitions: Vec<[(f32, f32); STATES]>,
}

/// Reads little-endian numbers off a byte slice, refusing to pass its end.
struct Cursor<'a> {
    file: &'static str,
    bytes: &'a [u8],
    at: usize,
}

impl<'a> Cursor<'a> {
    fn new(file: &'static str, bytes: &'a [u8]) -> Cursor<'a> {
        Cursor { file, bytes, at: 0 }
    }

    fn take(&mut self, count: usize) -> Result<&'a [u8], ModelError> {
        let end = self.at.checked_add(count).ok_or(ModelError::Short(self.file))?;
        let taken = self.bytes.get(self.at..end).ok_or(ModelError::Short(self.file))?;
        self.at = end;
        Ok(taken)
    }

    fn array<const N: usize>(&mut self) -> Result<[u8; N], ModelError> {
        let mut out = [0; N];
        out.copy_from_slice(self.take(N)?);
        Ok(out)
    }

    fn u32(&mut self) -> Result<u32, ModelError> {
        Ok(u32::from_le_bytes(self.array()?))
    }

    fn count(&mut self) -> Result<usize, ModelError> {
        Ok(self.u32()? as usize)
    }

    fn damaged(&self, what: &'static str) -> ModelError {
        ModelError::Damaged { file: self.file, what }
    }

    fn expect(&self, holds: bool, what: &'static str) -> Result<(), ModelError> {
        if holds { Ok(()) } else { Err(self.damaged(what)) }
    }

    fn floats(&mut self, count: usize) -> Result<Vec<f32>, ModelError> {
        let bytes = self.take(count.checked_mul(4).ok_or(ModelError::Short(self.file))?)?;
        Ok(bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect())
    }

    /// The text header of the older files, up to and with `endhdr`, and the byte-order mark.
    fn text_header(&mut self) -> Result<(), ModelError> {
        self.expect(self.bytes.starts_with(b"s3\n"), "no s3 header")?;
        let end = self.bytes.windows(7).take(4096).position(|w| w == b"endhdr\n");
        self.at = end.ok_or_else(|| self.damaged("its header has no end"))? + 7;
        let mark = self.u32()?;
        self.expect(mark == 0x1122_3344, "its byte order is not little-endian")
    }

    /// The checksum that ends those files, over all words since the byte-order mark.
    fn checksum(&mut self, from: usize) -> Result<(), ModelError> {
        let words = self.bytes[from..self.at].chunks_exact(4);
        let sum = words.fold(0u32, |sum, b| {
            sum.rotate_left(20).wrapping_add(u32::from_le_bytes([b[0], b[1], b[2], b[3]]))
        });
        let stored = self.u32()?;
        self.expect(sum == stored, "its checksum is wrong")?;
        self.expect(self.at == self.bytes.len(), "bytes follow its end")
    }
}

/// Means or variances: `[codebook][stream][density][dimension]`.
fn read_gaussians(file: &'static str, bytes: &[u8]) -> Result<Vec<f32>, ModelError> {
    let mut c = Cursor::new(file, bytes);
    c.text_header()?;
    let from = c.at;
    let (books, streams, densities) = (c.count()?, c.count()?, c.count()?);
    c.expect(books <= 255 && streams == STREAMS && densities == DENSITIES, "another shape of codebook")?;
    for _ in 0..STREAMS {
        let width = c.count()?;
        c.expect(width == CEPSTRA, "another width of stream")?;
    }
    let count = c.count()?;
    c.expect(count == books * STREAMS * DENSITIES * CEPSTRA, "its count of numbers is wrong")?;
    let values = c.floats(count)?;
    c.checksum(from)?;
    Ok(values)
}

/// Transition counts `[base phone][state][next state]`, strictly left to right.
fn read_transitions(bytes: &[u8]) -> Result<Vec<[(f32, f32); STATES]>, ModelError> {
    let mut c = Cursor::new("transition_matrices", bytes);
    c.text_header()?;
    let from = c.at;
    let (phones, states, next, count) = (c.count()?, c.count()?, c.count()?, c.count()?);
    c.expect(phones <= 255 && states == STATES && next == STATES + 1, "another shape of states")?;
    c.expect(count == phones * STATES * (STATES + 1), "its count of numbers is wrong")?;
    let values = c.floats(count)?;
    c.checksum(from)?;
    Ok(values
        .chunks_exact(STATES * (STATES + 1))
        .map(|matrix| {
            std::array::from_fn(|i| {
                let row = &matrix[i * (STATES + 1)..(i + 1) * (STATES + 1)];
                let total = row.iter().sum::<f32>().max(1e-30);
                let stay = (row[i] / total).max(1e-4);
                let go = (row[i + 1] / total).max(1e-4);
                ((stay / (stay + go)).ln(), (go / (stay + go)).ln())
            })
        })
        .collect())
}

/// 8-bit mixture weights `[stream][density][senone]`, turned to `[senone][stream][density]`.
fn read_weights(bytes: &[u8], senones: usize) -> Result<Vec<[[u8; DENSITIES]; STREAMS]>, ModelError> {
    let mut c = Cursor::new("sendump", bytes);
    loop {
        let length = c.count()?;
        if length == 0 {
            break;
        }
        c.take(length)?;
    }
    let (rows, columns) = (c.count()?, c.count()?);
    c.expect(rows == DENSITIES && columns == senones, "another shape of weights")?;
    let data = c.take(STREAMS * DENSITIES * senones)?;
    c.expect(c.at == bytes.len(), "bytes follow its end")?;
    Ok((0..senones)
        .map(|s| std::array::from_fn(|f| std::array::from_fn(|d| data[(f * DENSITIES + d) * senones + s])))
        .collect())
}

impl AcousticModel {
    /// The model that ships with the product, read once.
    ///
    /// # Errors
    /// The model that ships is damaged.
    pub fn shipped() -> Result<&'static AcousticModel, ModelError> {
        static MODEL: OnceLock<Result<AcousticModel, ModelError>> = OnceLock::new();
        MODEL.get_or_init(|| AcousticModel::read(&SHIPPED)).as_ref().map_err(Clone::clone)
    }

    /// # Errors
    /// A file is not of the published form, or does not fit the others.
    pub fn read(files: &ModelFiles<'_>) -> Result<AcousticModel, ModelError> {
        // The definition: names, then a context tree that the phone table below makes needless.
        let mut c = Cursor::new("mdef", files.mdef);
        let magic: [u8; 4] = c.array()?;
        let version = c.u32()?;
        c.expect(&magic == b"BMDF" && version == 1, "not a binary model definition of version 1")?;
        let description = c.count()?;
        c.take(description)?;
        let mut header = [0usize; 10];
        for value in &mut header {
            *value = c.count()?;
        }
        let [bases, phones, states, base_senones, senones, matrices, sets, _context, tree, silence] = header;
        let sound = states == STATES
            && bases <= 255
            && silence < bases
            && matrices == bases
            && base_senones == bases * STATES
            && bases <= phones
            && phones.max(sets).max(tree).max(senones) < 1 << 24;
        c.expect(sound, "its counts contradict each other")?;
        let mut names = Vec::with_capacity(bases);
        for _ in 0..bases {
            let rest = &c.bytes[c.at..];
            let end = rest.iter().position(|b| *b == 0).ok_or(ModelError::Short("mdef"))?;
            names.push(String::from_utf8_lossy(c.take(end)?).into_owned());
            c.take(1)?;
        }
        c.at = c.at.next_multiple_of(4);
        c.take(8 * tree)?;
        let mut table = Vec::with_capacity(phones);
        let mut triphones = HashMap::with_capacity(phones);
        let mut fillers = Vec::with_capacity(bases);
        for id in 0..phones {
            let set = c.u32()?;
            let matrix = c.u32()?;
            let [position, base, left, right]: [u8; 4] = c.array()?;
            c.expect((set as usize) < sets && (matrix as usize) < matrices, "a phone without states")?;
            if id < bases {
                fillers.push(position == 1);
                table.push(ModelPhone { states: set, base: id as u8 });
            } else {
                c.expect(usize::from(base) < bases && position < 4, "a phone without a base")?;
                table.push(ModelPhone { states: set, base });
                triphones.insert(triphone_key(position, base, left, right), id as u32);
            }
        }
        let count = c.count()?;
        c.expect(count == sets * STATES, "its count of states is wrong")?;
        let raw = c.take(2 * count)?;
        c.expect(c.at == files.mdef.len(), "bytes follow its end")?;
        let state_sets: Vec<[u16; STATES]> = raw
            .chunks_exact(2 * STATES)
            .map(|s| std::array::from_fn(|i| u16::from_le_bytes([s[2 * i], s[2 * i + 1]])))
            .collect();
        c.expect(state_sets.iter().flatten().all(|s| usize::from(*s) < senones), "a state out of range")?;
        let mut senone_base = vec![0u8; senones];
        for phone in &table {
            for senone in state_sets[phone.states as usize] {
                senone_base[usize::from(senone)] = phone.base;
            }
        }

        let means = read_gaussians("means", files.means)?;
        let variances = read_gaussians("variances", files.variances)?;
        let size = DENSITIES * CEPSTRA;
        let same = means.len() == variances.len() && means.len() == bases * STREAMS * size;
        c.expect(same, "another count of phones than the gaussians have")?;
        let codebook = |book: usize, stream: usize| {
            let from = (book * STREAMS + stream) * size;
            let (mean, variance) = (&means[from..from + size], &variances[from..from + size]);
            let variance = |v: usize, d: usize| variance[d * CEPSTRA + v].max(1e-4);
            Codebook {
                mean: std::array::from_fn(|v| std::array::from_fn(|d| mean[d * CEPSTRA + v])),
                precision: std::array::from_fn(|v| std::array::from_fn(|d| 0.5 / variance(v, d))),
                constant: std::array::from_fn(|d| {
                    let sum: f64 =
                        (0..CEPSTRA).map(|v| (std::f64::consts::TAU * f64::from(variance(v, d))).ln()).sum();
                    (-0.5 * sum) as f32
                }),
            }
        };
        let transitions = read_transitions(files.transition_matrices)?;
        c.expect(transitions.len() == bases, "another count of phones than the transitions have")?;
        Ok(AcousticModel {
            names,
            fillers,
            silence: silence as u8,
            phones: table,
            state_sets,
            triphones,
            codebooks: (0..bases).map(|b| std::array::from_fn(|s| codebook(b, s))).collect(),
            senone_base,
            weights: read_weights(files.sendump, senones)?,
            transitions,
        })
    }

    /// How many base phones there are, fillers with them.
    pub fn bases(&self) -> usize {
        self.names.len()
    }

    pub fn silence(&self) -> u8 {
        self.silence
    }

    pub fn base(&self, name: &str) -> Option<u8> {
        self.names.iter().position(|n| n == name).map(|i| i as u8)
    }

    /// The senones of `base` between `left` and `right`. What the model never saw falls back to
    /// other word positions, then to silence around the word, then to the phone without context.
    pub fn states_in_context(&self, base: u8, left: u8, right: u8, position: Position) -> [u16; STATES] {
        let set = |id: u32| self.state_sets[self.phones[id as usize].states as usize];
        if self.fillers[usize::from(base)] {
            return set(u32::from(base));
        }
        let spoken = |phone: u8| if self.fillers[usize::from(phone)] { self.silence } else { phone };
        let (left, right) = (spoken(left), spoken(right));
        let starts = matches!(position, Position::Begin | Position::Single);
        let ends = matches!(position, Position::End | Position::Single);
        let alone = (if starts { self.silence } else { left }, if ends { self.silence } else { right });
        for (l, r) in [(left, right), alone] {
            for p in [position as u8, 0, 1, 2, 3] {
                if let Some(id) = self.triphones.get(&triphone_key(p, base, l, r)) {
                    return set(*id);
                }
            }
        }
        set(u32::from(base))
    }

    /// The senones of a base phone without context.
    pub fn states_alone(&self, base: u8) -> [u16; STATES] {
        self.state_sets[self.phones[usize::from(base)].states as usize]
    }

    /// How many senones there are.
    pub fn senones(&self) -> usize {
        self.weights.len()
    }

    pub fn transitions(&self, base: u8) -> &[(f32, f32); STATES] {
        &self.transitions[usize::from(base)]
    }

    pub fn codebook(&self, base: usize) -> &[Codebook; STREAMS] {
        &self.codebooks[base]
    }

    pub fn base_of_senone(&self, senone: u16) -> usize {
        usize::from(self.senone_base[usize::from(senone)])
    }

    pub fn weights_of_senone(&self, senone: u16) -> &[[u8; DENSITIES]; STREAMS] {
        &self.weights[usize::from(senone)]
    }
}

fn triphone_key(position: u8, base: u8, left: u8, right: u8) -> u32 {
    u32::from_le_bytes([position, base, left, right])
}
