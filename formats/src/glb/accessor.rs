//! Reading and writing the numbers of a glTF file: accessors, dense, sparse or both.

use super::character::{Character, GlbError, damaged, usize_of};
use serde_json::{Value, json};

/// Most numbers that one accessor may be spread out to.
const MAX_NUMBERS: usize = 24_000_000;

/// How an accessor stores its numbers.
#[derive(Clone, Copy)]
enum Component {
    Float,
    Byte,
    UnsignedByte,
    Short,
    UnsignedShort,
    UnsignedInt,
}

impl Component {
    fn of(value: &Value) -> Result<Component, GlbError> {
        Ok(match value.as_u64() {
            Some(5120) => Component::Byte,
            Some(5121) => Component::UnsignedByte,
            Some(5122) => Component::Short,
            Some(5123) => Component::UnsignedShort,
            Some(5125) => Component::UnsignedInt,
            Some(5126) => Component::Float,
            _ => return Err(damaged("an accessor has a wrong component type")),
        })
    }

    fn size(self) -> usize {
        match self {
            Component::Byte | Component::UnsignedByte => 1,
            Component::Short | Component::UnsignedShort => 2,
            Component::UnsignedInt | Component::Float => 4,
        }
    }

    /// One number, from just as many bytes as it has.
    fn number(self, b: &[u8], normalised: bool) -> f32 {
        let scaled = |value: f32, full: f32| if normalised { (value / full).max(-1.0) } else { value };
        match self {
            Component::Float => f32::from_le_bytes([b[0], b[1], b[2], b[3]]),
            Component::Byte => scaled(f32::from(b[0] as i8), 127.0),
            Component::UnsignedByte => scaled(f32::from(b[0]), 255.0),
            Component::Short => scaled(f32::from(i16::from_le_bytes([b[0], b[1]])), 32767.0),
            Component::UnsignedShort => scaled(f32::from(u16::from_le_bytes([b[0], b[1]])), 65535.0),
            Component::UnsignedInt => u32::from_le_bytes([b[0], b[1], b[2], b[3]]) as f32,
        }
    }

    /// As many numbers as `into` has.
    fn read(self, bytes: &[u8], normalised: bool, into: &mut [f32]) {
        for (slot, b) in into.iter_mut().zip(bytes.chunks_exact(self.size())) {
            *slot = self.number(b, normalised);
        }
    }

    fn index(self, b: &[u8]) -> Option<u32> {
        match self {
            Component::UnsignedByte => Some(u32::from(b[0])),
            Component::UnsignedShort => Some(u32::from(u16::from_le_bytes([b[0], b[1]]))),
            Component::UnsignedInt => Some(u32::from_le_bytes([b[0], b[1], b[2], b[3]])),
            _ => None,
        }
    }
}

fn width_of(accessor: &Value) -> Result<usize, GlbError> {
    Ok(match accessor["type"].as_str() {
        Some("SCALAR") => 1,
        Some("VEC2") => 2,
        Some("VEC3") => 3,
        Some("VEC4" | "MAT2") => 4,
        Some("MAT3") => 9,
        Some("MAT4") => 16,
        _ => return Err(damaged("an accessor has a wrong type")),
    })
}

fn ends_early() -> GlbError {
    damaged("an accessor passes the end of its view")
}

impl Character {
    fn accessor(&self, index: &Value) -> Result<&Value, GlbError> {
        let found = index.as_u64().and_then(|i| self.list("accessors").get(i as usize));
        found.ok_or_else(|| damaged("an accessor is missing"))
    }

    /// How many elements an accessor has.
    pub(super) fn count(&self, index: &Value) -> Result<usize, GlbError> {
        usize_of(&self.accessor(index)?["count"])
    }

    /// How many numbers an element of an accessor has.
    pub(super) fn width(&self, index: &Value) -> Result<usize, GlbError> {
        width_of(self.accessor(index)?)
    }

    /// Checks that all an accessor names is there, without spreading it out.
    pub(super) fn check_accessor(&self, accessor: &Value) -> Result<(), GlbError> {
        let component = Component::of(&accessor["componentType"])?;
        let (count, width) = (usize_of(&accessor["count"])?, width_of(accessor)?);
        if count.checked_mul(width).is_none_or(|n| n > MAX_NUMBERS) {
            return Err(damaged("an accessor counts more than can be read"));
        }
        let fits = |bytes: &[u8], stride: usize, each: usize, n: usize| {
            n == 0
                || (n - 1)
                    .checked_mul(stride)
                    .and_then(|x| x.checked_add(each))
                    .is_some_and(|x| x <= bytes.len())
        };
        let each = width * component.size();
        if accessor.get("bufferView").is_some() {
            let (bytes, stride) = self.view(&accessor["bufferView"], &accessor["byteOffset"])?;
            if !fits(bytes, stride.unwrap_or(each), each, count) {
                return Err(ends_early());
            }
        }
        if let Some(sparse) = accessor.get("sparse") {
            let changed = usize_of(&sparse["count"])?;
            if changed > count {
                return Err(damaged("a sparse accessor changes more than there is"));
            }
            let (indices, values) = (&sparse["indices"], &sparse["values"]);
            let size = Component::of(&indices["componentType"])?.size();
            let (at, _) = self.view(&indices["bufferView"], &indices["byteOffset"])?;
            let (new, _) = self.view(&values["bufferView"], &values["byteOffset"])?;
            if !fits(at, size, size, changed) || !fits(new, each, each, changed) {
                return Err(ends_early());
            }
        }
        Ok(())
    }

    /// The numbers of an accessor, element by element, and how many each element has.
    pub(super) fn numbers(&self, index: &Value) -> Result<(Vec<f32>, usize), GlbError> {
        let accessor = self.accessor(index)?;
        self.check_accessor(accessor)?;
        let component = Component::of(&accessor["componentType"])?;
        let normalised = accessor["normalized"].as_bool().unwrap_or(false);
        let (count, width) = (usize_of(&accessor["count"])?, width_of(accessor)?);
        let size = component.size();
        let mut out = vec![0.0; count * width];
        if accessor.get("bufferView").is_some() {
            let (bytes, stride) = self.view(&accessor["bufferView"], &accessor["byteOffset"])?;
            let stride = stride.unwrap_or(width * size);
            for (i, element) in out.chunks_exact_mut(width).enumerate() {
                let raw = bytes.get(i * stride..i * stride + width * size).ok_or_else(ends_early)?;
                component.read(raw, normalised, element);
            }
        }
        self.each_change(accessor, |i, element| out[i * width..(i + 1) * width].copy_from_slice(element))?;
        if out.iter().all(|x| x.is_finite()) {
            Ok((out, width))
        } else {
            Err(damaged("a position is no number"))
        }
    }

    /// Visits the elements that a sparse accessor changes, in its order.
    fn each_change(&self, accessor: &Value, mut visit: impl FnMut(usize, &[f32])) -> Result<(), GlbError> {
        let Some(sparse) = accessor.get("sparse") else { return Ok(()) };
        let component = Component::of(&accessor["componentType"])?;
        let normalised = accessor["normalized"].as_bool().unwrap_or(false);
        let (count, width) = (usize_of(&accessor["count"])?, width_of(accessor)?);
        let each = width * component.size();
        let kind = Component::of(&sparse["indices"]["componentType"])?;
        let (indices, _) = self.view(&sparse["indices"]["bufferView"], &sparse["indices"]["byteOffset"])?;
        let (values, _) = self.view(&sparse["values"]["bufferView"], &sparse["values"]["byteOffset"])?;
        let mut element = vec![0.0; width];
        for k in 0..usize_of(&sparse["count"])? {
            let raw = indices.get(k * kind.size()..(k + 1) * kind.size()).ok_or_else(ends_early)?;
            let i = kind.index(raw).ok_or_else(|| damaged("a sparse accessor has a wrong index type"))?;
            if i as usize >= count {
                return Err(damaged("a sparse index is out of range"));
            }
            let raw = values.get(k * each..(k + 1) * each).ok_or_else(ends_early)?;
            component.read(raw, normalised, &mut element);
            visit(i as usize, &element);
        }
        Ok(())
    }

    /// Visits the elements of three numbers that are not zero. A sparse accessor is not spread out: of a
    /// large face most shapes move little.
    pub(super) fn each_move(
        &self,
        index: &Value,
        mut visit: impl FnMut(usize, [f32; 3]),
    ) -> Result<(), GlbError> {
        let accessor = self.accessor(index)?;
        if accessor.get("bufferView").is_some() || width_of(accessor)? != 3 {
            let rows = self.rows::<3>(index)?;
            rows.into_iter().enumerate().filter(|(_, m)| *m != [0.0; 3]).for_each(|(i, m)| visit(i, m));
            return Ok(());
        }
        self.check_accessor(accessor)?;
        let mut sound = true;
        self.each_change(accessor, |i, m| {
            sound &= m.iter().all(|x| x.is_finite());
            visit(i, [m[0], m[1], m[2]]);
        })?;
        if sound { Ok(()) } else { Err(damaged("a position is no number")) }
    }

    /// The elements of an accessor that has `N` numbers each; none if there is no accessor.
    pub(super) fn rows<const N: usize>(&self, index: &Value) -> Result<Vec<[f32; N]>, GlbError> {
        if index.is_null() {
            return Ok(Vec::new());
        }
        let (numbers, width) = self.numbers(index)?;
        if width != N {
            return Err(damaged("an accessor has a wrong type"));
        }
        Ok(numbers.chunks_exact(N).map(|c| std::array::from_fn(|k| c[k])).collect())
    }

    /// Whole numbers of an accessor: triangle corners.
    pub(super) fn indices(&self, index: &Value) -> Result<Vec<u32>, GlbError> {
        let accessor = self.accessor(index)?;
        self.check_accessor(accessor)?;
        let component = Component::of(&accessor["componentType"])?;
        let count = usize_of(&accessor["count"])?;
        let (bytes, stride) = self.view(&accessor["bufferView"], &accessor["byteOffset"])?;
        let stride = stride.unwrap_or(component.size());
        let at = |i: usize| bytes.get(i * stride..i * stride + component.size()).ok_or_else(ends_early);
        let number =
            |i: usize| component.index(at(i)?).ok_or_else(|| damaged("corners are no whole numbers"));
        (0..count).map(number).collect()
    }

    /// The bytes of a buffer view from an offset on, and its stride.
    fn view(&self, index: &Value, offset: &Value) -> Result<(&[u8], Option<usize>), GlbError> {
        let view = index.as_u64().and_then(|i| self.list("bufferViews").get(i as usize));
        let view = view.ok_or_else(|| damaged("a buffer view is missing"))?;
        let optional = |v: &Value| if v.is_null() { Ok(0) } else { usize_of(v) };
        let (start, length) = (optional(&view["byteOffset"])?, usize_of(&view["byteLength"])?);
        let end = start.checked_add(length).filter(|e| *e <= self.binary.len());
        let end = end.ok_or_else(|| damaged("a buffer view passes the end of the data"))?;
        let from = start.checked_add(optional(offset)?).filter(|s| *s <= end);
        let from = from.ok_or_else(|| damaged("an accessor passes the end of its view"))?;
        let stride = view["byteStride"].as_u64().map(|s| s as usize);
        if stride.is_some_and(|s| !(4..=252).contains(&s)) {
            return Err(damaged("a buffer view has a wrong stride"));
        }
        Ok((&self.binary[from..end], stride))
    }

    /// All bytes of a buffer view.
    pub(super) fn view_bytes(&self, index: &Value) -> Result<&[u8], GlbError> {
        Ok(self.view(index, &Value::Null)?.0)
    }

    /// Adds bytes as a buffer view.
    pub(super) fn push_bytes(&mut self, bytes: &[u8]) -> Result<usize, GlbError> {
        self.binary.resize(self.binary.len().next_multiple_of(4), 0);
        let start = self.binary.len();
        if start + bytes.len() > u32::MAX as usize - (64 << 20) {
            return Err(damaged("it would pass the four gigabytes that a .glb can hold"));
        }
        self.binary.extend(bytes);
        let views = self.entry("bufferViews");
        views.push(json!({"buffer": 0, "byteOffset": start, "byteLength": bytes.len()}));
        Ok(views.len() - 1)
    }

    /// Adds floats as an accessor; with `limits` its lowest and highest values are noted.
    pub(super) fn push_rows<const N: usize>(
        &mut self,
        rows: &[[f32; N]],
        limits: bool,
    ) -> Result<usize, GlbError> {
        let kind = if N == 16 { "MAT4" } else { ["SCALAR", "VEC2", "VEC3", "VEC4"][N - 1] };
        let bytes: Vec<u8> = rows.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
        let view = self.push_bytes(&bytes)?;
        let mut accessor =
            json!({"bufferView": view, "componentType": 5126, "count": rows.len(), "type": kind});
        if limits {
            add_limits(&mut accessor, rows);
        }
        let accessors = self.entry("accessors");
        accessors.push(accessor);
        Ok(accessors.len() - 1)
    }

    /// Adds the moves of a shape, only those that move at all.
    pub(super) fn push_moves(&mut self, moves: &[[f32; 3]]) -> Result<usize, GlbError> {
        let far = |m: &[f32; 3]| m.iter().fold(0.0f32, |a, b| a.max(b.abs()));
        let most = moves.iter().map(far).fold(0.0, f32::max);
        let mut moved: Vec<u32> =
            (0..moves.len() as u32).filter(|i| far(&moves[*i as usize]) > 1e-5 * most).collect();
        if moved.len() * 2 > moves.len() {
            return self.push_rows(moves, true);
        }
        if moved.is_empty() {
            moved.push(0);
        }
        let indices: Vec<u8> = moved.iter().flat_map(|i| i.to_le_bytes()).collect();
        let values: Vec<u8> =
            moved.iter().flat_map(|i| moves[*i as usize]).flat_map(f32::to_le_bytes).collect();
        let (indices, values) = (self.push_bytes(&indices)?, self.push_bytes(&values)?);
        let mut accessor = json!({
            "componentType": 5126, "count": moves.len(), "type": "VEC3",
            "sparse": {
                "count": moved.len(),
                "indices": {"bufferView": indices, "componentType": 5125},
                "values": {"bufferView": values},
            },
        });
        let mut kept: Vec<[f32; 3]> = moved.iter().map(|i| moves[*i as usize]).collect();
        // Vertices that are not listed stay, so nothing is always among the values.
        kept.push([0.0; 3]);
        add_limits(&mut accessor, &kept);
        let accessors = self.entry("accessors");
        accessors.push(accessor);
        Ok(accessors.len() - 1)
    }

    /// Adds corners of triangles.
    pub(super) fn push_corners(&mut self, corners: &[u32]) -> Result<usize, GlbError> {
        let bytes: Vec<u8> = corners.iter().flat_map(|i| i.to_le_bytes()).collect();
        let view = self.push_bytes(&bytes)?;
        let accessors = self.entry("accessors");
        accessors.push(
            json!({"bufferView": view, "componentType": 5125, "count": corners.len(), "type": "SCALAR"}),
        );
        Ok(accessors.len() - 1)
    }

    /// Adds joint numbers of a skin, four a vertex.
    pub(super) fn push_joints(&mut self, rows: &[[u16; 4]]) -> Result<usize, GlbError> {
        let bytes: Vec<u8> = rows.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
        let view = self.push_bytes(&bytes)?;
        let accessors = self.entry("accessors");
        accessors
            .push(json!({"bufferView": view, "componentType": 5123, "count": rows.len(), "type": "VEC4"}));
        Ok(accessors.len() - 1)
    }
}

fn add_limits<const N: usize>(accessor: &mut Value, rows: &[[f32; N]]) {
    let edge = |pick: fn(f32, f32) -> f32| -> Vec<f32> {
        (0..N).map(|k| rows.iter().map(|r| r[k]).reduce(pick).unwrap_or(0.0)).collect()
    };
    accessor["min"] = json!(edge(f32::min));
    accessor["max"] = json!(edge(f32::max));
}
