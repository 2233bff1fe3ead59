//! A sheet of faces to be looked at: `cargo run --release -p jam-demo --example sheet -- OUT.png CHARACTER|FILE.glb POSE …`, one row a
//! pose, seen from the front, from both sides, from below and as a whole. A pose is controls (`jaw_open=.3,lips_round=1`),
//! a moment of a demo line (`4@1.25`), the middle of a sound wherever it is first said (`M`, the third `M#3`), or of the
//! middle one of typed sounds, which may be another language's (`/tyt/`); a mood at full over it goes before (`sadness:AA`).

#[path = "../tests/common/mod.rs"]
mod common;

use glam::{Vec2, Vec3};
use jam_demo::CHARACTERS;
use jam_formats::glb::Character;
use jam_rig::body::{Body, Posed};
use jam_rig::sight::{Sight, View};
use jam_rig::{MouthKind, Wiring};
use jam_score::layers::Mood;
use jam_score::{
    Control, Diction, FrameRate, Language, Line, Phone, Prosody, Seconds, Sound, Span, SpokenPhone, Timing,
};
use jam_voice::notation;

type Failure = Box<dyn std::error::Error>;

/// Pixels of a picture, drawn twice as fine.
const SIDE: usize = 200;

struct Stage {
    body: Body,
    wiring: Wiring,
    /// Middle of the mouth, and a width round it.
    mouth: Vec3,
    near: f32,
    middle: Vec3,
    whole: f32,
}

impl Stage {
    fn of(name: &str) -> Result<Stage, Failure> {
        let (character, wiring) = if name.ends_with(".glb") {
            let character = Character::read(&std::fs::read(name)?)?;
            let wiring = character.wiring()?;
            (character, wiring)
        } else {
            let one = CHARACTERS
                .iter()
                .find(|c| c.name.to_lowercase().contains(&name.to_lowercase()))
                .ok_or("no such character")?;
            // As it lies in the folder, not as it was built in: so a change is seen at once.
            let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("characters");
            let file = folder.join(name.to_lowercase()).with_extension("glb");
            let character = Character::read(&std::fs::read(file)?)?;
            let wiring = one.wiring(&character)?;
            (character, wiring)
        };
        let body = character.prepared(&wiring)?.body()?;
        let rest = body.posed(&wiring.targets(), &wiring.apply_with(&vec![0.0; Control::ALL.len()], Some(0)));
        let all: Vec<Vec3> = rest.iter().flatten().flatten().copied().collect();
        let low = all.iter().fold(Vec3::INFINITY, |a, b| a.min(*b));
        let high = all.iter().fold(Vec3::NEG_INFINITY, |a, b| a.max(*b));
        let env = |k: &str, d: f32| std::env::var(k).ok().and_then(|v| v.parse().ok()).unwrap_or(d);
        let size = high.y - low.y;
        Ok(Stage {
            mouth: Vec3::new(0.0, env("MOUTH_Y", -0.055), env("MOUTH_Z", 0.08)),
            near: env("NEAR", 0.105),
            middle: 0.5 * (low + high),
            whole: size * 1.05,
            body,
            wiring,
        })
    }

    fn picture(&self, posed: &Posed, yaw: f32, pitch: f32, at: Vec3, wide: f32) -> Vec<Vec3> {
        let fine = 2 * SIDE;
        let view = View { at, yaw, pitch, wide, width: fine, height: fine };
        let sight = Sight::of(&self.body, posed, &view);
        let axes = view.axes();
        let normals: Vec<Vec<Vec3>> = posed
            .iter()
            .zip(&self.body.parts)
            .map(|(points, part)| {
                let Some(points) = points else { return Vec::new() };
                let mut out = vec![Vec3::ZERO; points.len()];
                for t in &part.triangles {
                    let [a, b, c] = t.map(|i| points[i as usize]);
                    let n = (b - a).cross(c - a);
                    t.iter().for_each(|i| out[*i as usize] += n);
                }
                out
            })
            .collect();
        let lit = |x: usize, y: usize| -> Vec3 {
            let Some(seen) = sight.pixels[y * fine + x] else { return Vec3::new(0.02, 0.016, 0.028) };
            let part = &self.body.parts[seen.part];
            let corners = part.triangles[seen.triangle].map(|i| i as usize);
            let mix =
                |of: &[Vec3]| -> Vec3 { corners.iter().zip(seen.shares).map(|(i, s)| of[*i] * s).sum() };
            let colour = if part.colours.is_empty() { Vec3::ONE } else { mix(&part.colours) };
            let mut n = (axes * mix(&normals[seen.part])).normalize_or_zero();
            if n.z < 0.0 {
                n = -n;
            }
            let light = |d: Vec3, power: f32| power * n.dot(d.normalize()).max(0.0);
            let sum = light(Vec3::new(-0.5, 0.6, 0.8), 0.75)
                + light(Vec3::new(0.8, 0.1, 0.6), 0.4)
                + 0.22
                + 0.1 * n.y;
            colour * sum
        };
        (0..SIDE * SIDE)
            .map(|i| {
                let (x, y) = (2 * (i % SIDE), 2 * (i / SIDE));
                0.25 * (lit(x, y) + lit(x + 1, y) + lit(x, y + 1) + lit(x + 1, y + 1))
            })
            .collect()
    }
}

/// The face at a moment of a line, under a mood.
fn face_at(line: &(Line, Prosody), time: f64, mood: Option<&Mood>) -> Vec<f32> {
    let mut own = common::under(&line.0, mood);
    // Only the face: the head looks ahead.
    own.layers.settings.head.on = false;
    own.layers.settings.eyes.on = false;
    common::performance(&own, &line.1, FrameRate::FILM).face_at(Seconds(time))
}

/// The face of a pose, and the sound that is said in it, if it is named by one.
fn pose(text: &str) -> Result<(Vec<f32>, Sound), Failure> {
    let nothing = || Sound::new(Phone::Sil, Span::new(0.0, 1.0));
    let mut face = vec![0.0; Control::ALL.len()];
    let (mood, rest) = text.split_once(':').map_or((None, text), |(m, r)| (Some(m), r));
    if rest.contains('=') {
        for one in rest.split(',') {
            let (name, value) = one.split_once('=').ok_or("control=value")?;
            let control =
                Control::ALL.iter().find(|c| c.name() == name).ok_or(format!("no control {name}"))?;
            face[*control as usize] = value.parse()?;
        }
        return Ok((face, nothing()));
    }
    if let Some(typed) = rest.strip_prefix('/') {
        let language = Language::read("fr")?;
        let spoken = notation::parse_in(typed, language.as_ref())?;
        let own = |(i, said): (usize, &SpokenPhone)| Sound {
            symbol: said.symbol,
            stress: said.stress,
            level: -20.0,
            ..Sound::new(said.phone, Span::new(0.2 + 0.16 * i as f64, 0.36 + 0.16 * i as f64))
        };
        let mut sounds = vec![Sound::new(Phone::Sil, Span::new(0.0, 0.2))];
        sounds.extend(spoken.iter().enumerate().map(own));
        let middle = sounds[1 + spoken.len() / 2].clone();
        let timing = Timing { sounds: sounds.into(), ..Timing::default() };
        let face = jam_face::perform(&timing, &Diction::default(), FrameRate::FILM, Seconds(0.3));
        let time = Seconds((middle.span.middle().0 * 24.0).round() / 24.0);
        return Ok((face.face_at(time), middle));
    }
    let lines = common::lines();
    let mood = mood.and_then(|m| Mood::NAMED.iter().find(|n| n.title() == m));
    if let Some((line, time)) = rest.split_once('@') {
        let line = &lines[line.parse::<usize>()? - 1];
        return Ok((face_at(line, time.parse()?, mood), nothing()));
    }
    let (name, nth) = rest.split_once('#').map_or((rest, 1), |(n, k)| (n, k.parse().unwrap_or(1)));
    let phone = Phone::ALL.iter().find(|p| p.to_string() == name).ok_or(format!("no sound {name}"))?;
    let said = lines.iter().flat_map(|l| {
        let sounds = &l.0.timing.as_ref().map(|t| t.sounds.clone()).unwrap_or_default();
        sounds.iter().filter(|s| s.phone == *phone).map(|s| (l, s.clone())).collect::<Vec<_>>()
    });
    let (line, sound) = said.collect::<Vec<_>>().get(nth - 1).cloned().ok_or("not said so often")?;
    let span = sound.span;
    println!("{text}: “{}” at {:.3}–{:.3}", line.0.text, span.start.0, span.end.0);
    let middle = 0.5 * (span.start.0 + span.end.0);
    Ok((face_at(line, (middle * 24.0).round() / 24.0, mood), sound))
}

fn main() -> Result<(), Failure> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [out, character, poses @ ..] = args.as_slice() else {
        return Err("OUT.png CHARACTER POSE …".into());
    };
    let stage = Stage::of(character)?;
    let columns = 5;
    let (width, height) = (columns * SIDE, poses.len() * SIDE);
    let mut bytes = vec![0u8; 3 * width * height];
    for (row, text) in poses.iter().enumerate() {
        let (face, said) = pose(text)?;
        let drawing = stage.wiring.chart.as_ref().and_then(|c| c.drawing(MouthKind::of(&said)));
        let posed = stage.body.posed(&stage.wiring.targets(), &stage.wiring.apply_with(&face, drawing));
        let views = [
            (0.0, 0.0, stage.mouth, stage.near),
            (40.0, 0.0, stage.mouth, stage.near),
            (-40.0, 0.0, stage.mouth, stage.near),
            (0.0, -25.0, stage.mouth, stage.near),
            (0.0, 0.0, stage.middle, stage.whole),
        ];
        for (column, (yaw, pitch, at, wide)) in views.into_iter().enumerate() {
            for (i, colour) in stage.picture(&posed, yaw, pitch, at, wide).into_iter().enumerate() {
                let at = Vec2::new((column * SIDE + i % SIDE) as f32, (row * SIDE + i / SIDE) as f32);
                let start = 3 * (at.y as usize * width + at.x as usize);
                for (k, c) in colour.to_array().into_iter().enumerate() {
                    bytes[start + k] = (255.0 * c.clamp(0.0, 1.0).powf(1.0 / 2.2)) as u8;
                }
            }
        }
    }
    let mut writer = png::Encoder::new(std::fs::File::create(out)?, width as u32, height as u32);
    writer.set_color(png::ColorType::Rgb);
    writer.write_header()?.write_image_data(&bytes)?;
    Ok(())
}
