//! Numbers and texts packed into bytes, as the learnt models that ship are.

/// Why packed bytes cannot be read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("a model that ships with the product is damaged; install the product anew")]
pub struct DamagedError;

/// Reads packed bytes from their beginning.
pub(crate) struct Reader<'a>(pub &'a [u8]);

impl<'a> Reader<'a> {
    /// So many bytes.
    pub fn take(&mut self, count: usize) -> Result<&'a [u8], DamagedError> {
        let (taken, rest) = self.0.split_at_checked(count).ok_or(DamagedError)?;
        self.0 = rest;
        Ok(taken)
    }

    pub fn byte(&mut self) -> Result<u8, DamagedError> {
        Ok(self.take(1)?[0])
    }

    /// Seven bits a byte, lowest first; the highest bit says that more follow.
    pub fn number(&mut self) -> Result<u64, DamagedError> {
        let (mut value, mut shift) = (0u64, 0);
        loop {
            let byte = self.byte()?;
            value |= u64::from(byte & 127).checked_shl(shift).ok_or(DamagedError)?;
            if byte < 128 {
                return Ok(value);
            }
            shift += 7;
        }
    }

    pub fn text(&mut self) -> Result<String, DamagedError> {
        let length = self.number()? as usize;
        String::from_utf8(self.take(length)?.to_vec()).map_err(|_| DamagedError)
    }
}

/// Writes what [`Reader::number`] reads.
pub(crate) fn put_number(out: &mut Vec<u8>, mut value: u64) {
    while value > 127 {
        out.push(value as u8 | 128);
        value >>= 7;
    }
    out.push(value as u8);
}

/// Writes what [`Reader::text`] reads.
pub(crate) fn put_text(out: &mut Vec<u8>, text: &str) {
    put_number(out, text.len() as u64);
    out.extend_from_slice(text.as_bytes());
}
