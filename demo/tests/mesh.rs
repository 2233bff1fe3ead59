//! What must hold holds on the mesh itself: the demo's operator is posed point by point, as his wiring says, by a
//! reader of the file that knows nothing of ours, and lips, teeth and tongue are measured against each other.
#![allow(clippy::unwrap_used)]

use crate::common::{lines, performance, under};
use jam_demo::CHARACTERS;
use jam_face::Performance;
use jam_rig::{Target, Wiring};
use jam_score::layers::Mood;
use jam_score::{FrameRate, Phone, Seconds};
use serde_json::Value;
use std::collections::BTreeMap;

type Point = [f32; 3];

/// The mesh is 24 cm high and modelled in units of 10 cm.
const MM: f32 = 0.01;

/// A part of the head: its points, and how far each shape moves each of them.
struct Part {
    points: Vec<Point>,
    shapes: BTreeMap<String, Vec<Point>>,
}

impl Part {
    /// Where a point is with the shapes as they are set.
    fn at(&self, point: usize, set: &BTreeMap<&str, f32>) -> Point {
        let mut at = self.points[point];
        for (name, moves) in &self.shapes {
            let weight = set.get(name.as_str()).copied().unwrap_or(0.0);
            (0..3).for_each(|k| at[k] += weight * moves[point][k]);
        }
        at
    }

    /// How far a shape moves a point up.
    fn up(&self, shape: &str, point: usize) -> f32 {
        self.shapes[shape][point][1]
    }
}

struct File {
    json: Value,
    binary: Vec<u8>,
}

impl File {
    fn read(bytes: &[u8]) -> File {
        let word = |at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap()) as usize;
        let json = serde_json::from_slice(&bytes[20..20 + word(12)]).unwrap();
        File { json, binary: bytes[28 + word(12)..].to_vec() }
    }

    /// Components of an accessor: 16-bit ones are shares of 32767 (glTF 2.0, normalized integers).
    fn numbers(
        &self,
        view: &Value,
        offset: &Value,
        kind: &Value,
        stride_of: usize,
        count: usize,
    ) -> Vec<f32> {
        let view = &self.json["bufferViews"][view.as_u64().unwrap() as usize];
        let start = (view["byteOffset"].as_u64().unwrap_or(0) + offset.as_u64().unwrap_or(0)) as usize;
        let size = match kind.as_u64().unwrap() {
            5121 => 1,
            5122 | 5123 => 2,
            _ => 4,
        };
        let stride = view["byteStride"].as_u64().map_or(size * stride_of, |s| s as usize);
        let one = |at: usize| {
            let bytes = &self.binary[at..at + size];
            match kind.as_u64().unwrap() {
                5121 => f32::from(bytes[0]),
                5122 => f32::from(i16::from_le_bytes(bytes.try_into().unwrap())) / 32767.0,
                5123 => f32::from(u16::from_le_bytes(bytes.try_into().unwrap())),
                5125 => u32::from_le_bytes(bytes.try_into().unwrap()) as f32,
                _ => f32::from_le_bytes(bytes.try_into().unwrap()),
            }
        };
        (0..count)
            .flat_map(|i| (0..stride_of).map(move |k| (i, k)))
            .map(|(i, k)| one(start + i * stride + k * size))
            .collect()
    }

    fn points(&self, accessor: &Value) -> Vec<Point> {
        let accessor = &self.json["accessors"][accessor.as_u64().unwrap() as usize];
        let count = accessor["count"].as_u64().unwrap() as usize;
        let kind = &accessor["componentType"];
        let rows = |numbers: Vec<f32>| -> Vec<Point> {
            numbers.chunks_exact(3).map(|c| [c[0], c[1], c[2]]).collect()
        };
        let mut points = match &accessor["bufferView"] {
            Value::Null => vec![[0.0; 3]; count],
            view => rows(self.numbers(view, &accessor["byteOffset"], kind, 3, count)),
        };
        let sparse = &accessor["sparse"];
        if !sparse.is_null() {
            let count = sparse["count"].as_u64().unwrap() as usize;
            let (at, new) = (&sparse["indices"], &sparse["values"]);
            let at = self.numbers(&at["bufferView"], &at["byteOffset"], &at["componentType"], 1, count);
            let new = rows(self.numbers(&new["bufferView"], &new["byteOffset"], kind, 3, count));
            at.iter().zip(new).for_each(|(i, p)| points[*i as usize] = p);
        }
        points
    }

    fn part(&self, name: &str) -> Part {
        let mesh = self.json["meshes"].as_array().unwrap().iter().find(|m| m["name"] == name).unwrap();
        let primitive = &mesh["primitives"][0];
        let names = mesh["extras"]["targetNames"].as_array().cloned().unwrap_or_default();
        let moves = primitive["targets"].as_array().cloned().unwrap_or_default();
        let shape = |(name, target): (&Value, &Value)| {
            (name.as_str().unwrap().to_string(), self.points(&target["POSITION"]))
        };
        // In the units of the file's root: a skinned mesh lies there as it is, another where its node hangs.
        let nodes = self.json["nodes"].as_array().unwrap();
        let mut at = nodes.iter().position(|n| n["name"] == name).filter(|n| nodes[*n]["skin"].is_null());
        let mut place = [0.0f32; 3];
        while let Some(node) = at {
            (0..3).for_each(|k| place[k] += nodes[node]["translation"][k].as_f64().unwrap_or(0.0) as f32);
            at = nodes.iter().position(|n| {
                n["children"].as_array().is_some_and(|c| c.iter().any(|c| c.as_u64() == Some(node as u64)))
            });
        }
        let points = self.points(&primitive["attributes"]["POSITION"]);
        Part {
            points: points.iter().map(|p| std::array::from_fn(|k| p[k] + place[k])).collect(),
            shapes: names.iter().zip(&moves).map(shape).collect(),
        }
    }
}

/// The operator's mouth.
struct Mouth {
    skin: Part,
    tongue: Part,
    /// Edge of the upper teeth, in the middle third of the mouth.
    teeth: Vec<Point>,
    /// Points of the upper and of the lower lip that lie on each other at rest.
    line: Vec<(usize, usize)>,
    /// Points of the lower lip that the tuck moves most.
    lip: Vec<usize>,
    wiring: Wiring,
}

impl Mouth {
    fn read() -> Mouth {
        let file = File::read(CHARACTERS[0].model);
        let (skin, tongue, teeth) = (file.part("skin"), file.part("tongue"), file.part("teeth_upper"));
        let low = teeth.points.iter().filter(|p| p[0].abs() < 0.1).map(|p| p[1]).fold(f32::MAX, f32::min);
        let edge = |p: &&Point| p[0].abs() < 0.1 && p[1] < low + 8.0 * MM;
        let teeth: Vec<Point> = teeth.points.iter().filter(edge).copied().collect();
        // The lips are what the shapes that part them move.
        let moved = |sides: [&str; 2], way: f32| -> Vec<usize> {
            let up = |i: usize| way * (skin.up(sides[0], i) + skin.up(sides[1], i));
            let most = (0..skin.points.len()).map(up).fold(0.0, f32::max);
            (0..skin.points.len())
                .filter(|i| skin.points[*i][0].abs() < 0.16 && up(*i) > 0.3 * most)
                .collect()
        };
        let upper = moved(["lip_upper_raise_left", "lip_upper_raise_right"], 1.0);
        let lower = moved(["lip_lower_drop_left", "lip_lower_drop_right"], -1.0);
        let far = |a: usize, b: usize| distance(skin.points[a], skin.points[b]);
        let near =
            |u: usize| lower.iter().map(|l| (u, *l)).min_by(|a, b| far(a.0, a.1).total_cmp(&far(b.0, b.1)));
        let line: Vec<(usize, usize)> =
            upper.iter().filter_map(|u| near(*u)).filter(|(u, l)| far(*u, *l) < 0.6 * MM).collect();
        let tucked = |i: usize| {
            let m = skin.shapes["lip_lower_tuck"][i];
            distance(m, [0.0; 3])
        };
        let most = lower.iter().map(|i| tucked(*i)).fold(0.0, f32::max);
        let lip = lower.iter().copied().filter(|i| tucked(*i) > 0.5 * most).collect();
        let wiring = CHARACTERS[0].read().unwrap().wiring().unwrap();
        Mouth { skin, tongue, teeth, line, lip, wiring }
    }

    /// The shapes as a performance sets them at a time.
    fn set(&self, face: &Performance, time: Seconds) -> BTreeMap<&str, f32> {
        let values = self.wiring.apply(&face.face_at(time));
        let shapes = self.wiring.outputs.iter().zip(values);
        shapes
            .filter_map(|(output, value)| match &output.target {
                Target::Morph { name } => Some((name.as_str(), value)),
                _ => None,
            })
            .collect()
    }

    /// How far the lips are apart where they meet at rest, mm: most of all places.
    fn gap(&self, set: &BTreeMap<&str, f32>) -> f32 {
        let apart = |(u, l): &(usize, usize)| {
            let rest = self.skin.points[*u][1] - self.skin.points[*l][1];
            (self.skin.at(*u, set)[1] - self.skin.at(*l, set)[1] - rest) / MM
        };
        self.line.iter().map(apart).fold(f32::MIN, f32::max)
    }

    /// How near the lower lip is to the edge of the upper teeth, mm.
    fn lip_to_teeth(&self, set: &BTreeMap<&str, f32>) -> f32 {
        let near = |i: &usize| {
            let at = self.skin.at(*i, set);
            self.teeth.iter().map(|t| distance(at, *t)).fold(f32::MAX, f32::min)
        };
        self.lip.iter().map(near).fold(f32::MAX, f32::min) / MM
    }

    /// How far the tip of the tongue is before the edge of the upper teeth, mm.
    fn tip_before_teeth(&self, set: &BTreeMap<&str, f32>) -> f32 {
        let tip = (0..self.tongue.points.len()).map(|i| self.tongue.at(i, set)[2]).fold(f32::MIN, f32::max);
        let edge = self.teeth.iter().map(|t| t[2]).fold(f32::MIN, f32::max);
        (tip - edge) / MM
    }
}

fn distance(a: Point, b: Point) -> f32 {
    (0..3).map(|k| (a[k] - b[k]).powi(2)).sum::<f32>().sqrt()
}

/// Every P, B, M, F, V, TH and DH of every line, without a mood and under the six emotions at their full strength from
/// end to end, on the mesh. In the sound at its best moment: lips at most half a millimetre apart (of a head 24 cm
/// high), the lip at most 2 mm from the teeth, the tongue between them. The limits are ours, by looking at renders.
#[test]
fn no_mood_breaks_a_must_on_the_mesh() {
    let mouth = Mouth::read();
    assert!(mouth.line.len() > 10 && mouth.lip.len() > 20 && !mouth.teeth.is_empty());
    // The measures tell right from wrong: at rest the lips meet; with the jaw open nothing does.
    let open = BTreeMap::from([("jaw_open", 0.5)]);
    assert!(mouth.gap(&BTreeMap::new()).abs() < 1e-3 && mouth.gap(&open) > 8.0, "{}", mouth.gap(&open));
    let rest = mouth.lip_to_teeth(&BTreeMap::new());
    assert!(mouth.lip_to_teeth(&open) > rest + 4.0);

    let (mut checked, mut worst) = (BTreeMap::new(), BTreeMap::new());
    for (line, heard) in lines() {
        let timing = line.timing.clone().unwrap();
        for mood in std::iter::once(None).chain(Mood::NAMED[..6].iter().map(Some)) {
            let moody = under(line, mood);
            let face = performance(&moody, heard, FrameRate::FILM);
            for sound in timing.sounds.iter().filter(|s| s.symbol.is_none()) {
                // As on frames: from the one before it to the one after.
                let (start, end) = (sound.span.start.0 - 1.0 / 24.0, sound.span.end.0 + 1.0 / 24.0);
                let moments = (0..=12).map(|k| Seconds(start + (end - start) * f64::from(k) / 12.0));
                let sets = moments.map(|t| mouth.set(&face, t));
                let (what, value, holds): (_, _, fn(f32) -> bool) = match sound.phone {
                    Phone::P | Phone::B | Phone::M => {
                        ("lips", sets.map(|s| mouth.gap(&s)).fold(f32::MAX, f32::min), |v| v < 0.5)
                    }
                    Phone::F | Phone::V => {
                        ("teeth", sets.map(|s| mouth.lip_to_teeth(&s)).fold(f32::MAX, f32::min), |v| v < 2.0)
                    }
                    Phone::Th | Phone::Dh => {
                        ("tongue", -sets.map(|s| mouth.tip_before_teeth(&s)).fold(f32::MIN, f32::max), |v| {
                            v < 0.0
                        })
                    }
                    _ => continue,
                };
                *checked.entry(what).or_insert(0) += 1;
                let most = worst.entry(what).or_insert(f32::MIN);
                *most = most.max(value);
                let mood = mood.map_or("no mood", Mood::title);
                assert!(
                    holds(value),
                    "{mood}: {what} {value} mm, {} at {start:.2} of “{}”",
                    sound.phone,
                    line.text
                );
            }
        }
    }
    println!("{checked:?}, worst in mm {worst:?}");
    assert!(checked.values().all(|n| *n > 50), "{checked:?}");
}
