//! What is seen of a mouth, drawn by a rasteriser from the wired mesh, the operator's and that of the child who was given her
//! shapes: every sealed frame of every line is shut from the front, from both sides and from below, with and without a mood at full; the lip lies on the teeth; a round
//! mouth hides the upper teeth; nothing comes through the skin.
#![allow(clippy::unwrap_used)]

use crate::common;
use crate::common::{lines, performance, under};
use glam::{Vec2, Vec3};
use jam_demo::CHARACTERS;
use jam_face::Performance;
use jam_face::findings::SEAL_GAP;
use jam_rig::body::{Body, Posed};
use jam_rig::sight::{Seen, Sight, View};
use jam_rig::{MouthKind, Target, Wiring};
use jam_score::layers::Mood;
use jam_score::{Control, FrameRate, Phone, Seconds};
use std::collections::BTreeMap;

/// From the front, three quarters from both sides, from below: degrees round and up.
const VIEWS: [(f32, f32); 4] = [(0.0, 0.0), (40.0, 0.0), (-40.0, 0.0), (0.0, -25.0)];
/// The head is 24 cm high; its units are metres.
const MM: f32 = 0.001;

struct Drawn {
    body: Body,
    wiring: Wiring,
    targets: Vec<Target>,
    /// Points of the skin that lie inside the mouth.
    inside: Vec<bool>,
    /// The line where the lips meet, round the mouth: points of the skin.
    ring: Vec<u32>,
    middle: Vec3,
}

/// What is in front at a pixel.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
enum Thing {
    Skin,
    Inside,
    UpperTeeth,
    LowerTeeth,
    Tongue,
}

/// The parts round the mouth, the skin first.
const PARTS: [Thing; 5] = [Thing::Skin, Thing::UpperTeeth, Thing::LowerTeeth, Thing::Tongue, Thing::Skin];
const SKIN: usize = 0;
/// What they are called in the file of Bram and in that of Wren, who has no beard.
const BRAM: [&str; 5] = ["skin", "teeth_upper", "teeth_lower", "tongue", "beard"];
const WREN: [&str; 4] = ["skin", "upper_teeth", "lower_teeth", "tongue"];

impl Drawn {
    /// Of a character of the demo, with its parts.
    fn read(number: usize, parts: &[&str]) -> Drawn {
        let character = CHARACTERS[number].read().unwrap();
        let wiring = CHARACTERS[number].wiring(&character).unwrap();
        let mut body = character.prepared(&wiring).unwrap().body().unwrap();
        let targets = wiring.targets();
        let named = |body: &Body, name: &str| (0..body.parts.len()).find(|p| body.name(*p) == name).unwrap();
        body.parts = parts.iter().map(|n| body.parts[named(&body, n)].clone()).collect();
        let rest = body.posed(&targets, &wiring.apply(&set(&[])));
        let points = rest[0].as_ref().unwrap();
        // Lips meet where two points of the skin that a jaw parts lie on each other.
        let jaw = &body.parts[0].shapes.iter().find(|s| s.name == "jaw_open").unwrap().moves;
        let moves: BTreeMap<u32, Vec3> = jaw.iter().copied().collect();
        let moved = |i: u32| moves.get(&i).copied().unwrap_or(Vec3::ZERO);
        let mut order: Vec<u32> = (0..points.len() as u32).filter(|i| points[*i as usize].z > 0.0).collect();
        order.sort_by(|a, b| points[*a as usize].x.total_cmp(&points[*b as usize].x));
        let (mut upper, mut lower) = (Vec::new(), Vec::new());
        for (k, a) in order.iter().enumerate() {
            for b in &order[k + 1..] {
                if points[*b as usize].x - points[*a as usize].x > 0.1 * MM {
                    break;
                }
                let near = points[*a as usize].distance(points[*b as usize]) < 0.1 * MM;
                // The jaw moves these points by head units, the file's own.
                if near && moved(*a).distance(moved(*b)) > 0.01 {
                    let (u, l) = if moved(*a).y > moved(*b).y { (*a, *b) } else { (*b, *a) };
                    upper.push(u);
                    lower.push(l);
                }
            }
        }
        let along = |i: &u32| points[*i as usize].x;
        upper.sort_by(|a, b| along(a).total_cmp(&along(b)));
        lower.sort_by(|a, b| along(b).total_cmp(&along(a)));
        upper.dedup();
        lower.dedup();
        let line: Vec<Vec3> = upper.iter().map(|i| points[*i as usize]).collect();
        let (left, right) = (line[0].x, line[line.len() - 1].x);
        let at = |x: f32| {
            let k = line.partition_point(|p| p.x < x).clamp(1, line.len() - 1);
            line[k - 1].lerp(line[k], (x - line[k - 1].x) / (line[k].x - line[k - 1].x))
        };
        let inside = points
            .iter()
            .map(|p| {
                if p.x < left || p.x > right {
                    return false;
                }
                let lip = at(p.x);
                p.z < lip.z - 3.6 * MM && p.z > lip.z - 12.0 * MM && (p.y - lip.y).abs() < 9.0 * MM
            })
            .collect();
        let middle = at(0.0);
        let ring = upper.into_iter().chain(lower).collect();
        // Only what is near the mouth is drawn.
        for (part, points) in body.parts.iter_mut().zip(&rest) {
            let points = points.as_ref().unwrap();
            part.triangles.retain(|t| t.iter().any(|i| points[*i as usize].distance(middle) < 75.0 * MM));
        }
        Drawn { body, wiring, targets, inside, ring, middle }
    }

    fn posed(&self, face: &[f32]) -> Posed {
        self.body.posed(&self.targets, &self.wiring.apply(face))
    }

    fn view(&self, (yaw, pitch): (f32, f32)) -> View {
        View { at: self.middle, yaw, pitch, wide: 100.0 * MM, width: 200, height: 160 }
    }

    fn thing(&self, seen: &Seen) -> Thing {
        match PARTS[seen.part] {
            Thing::Skin if seen.part == SKIN => {
                let corners = self.body.parts[SKIN].triangles[seen.triangle];
                let inside = corners.iter().all(|i| self.inside[*i as usize]);
                if inside { Thing::Inside } else { Thing::Skin }
            }
            thing => thing,
        }
    }

    /// What is at each pixel of the mouth from one side, with its place; skin is left out.
    fn opening(&self, posed: &Posed, from: (f32, f32)) -> Vec<(Vec2, Thing)> {
        let view = self.view(from);
        let sight = Sight::of(&self.body, posed, &view);
        let place = |i: usize| Vec2::new((i % sight.width) as f32 + 0.5, (i / sight.width) as f32 + 0.5);
        let things = sight.pixels.iter().enumerate();
        things
            .filter_map(|(i, seen)| Some((place(i), self.thing(seen.as_ref()?))))
            .filter(|(_, thing)| *thing != Thing::Skin)
            .collect()
    }

    /// What of the mouth's inside is seen beside the opening: through the skin.
    fn through(&self, posed: &Posed, from: (f32, f32), opening: &[(Vec2, Thing)]) -> usize {
        let placed = self.view(from).placed();
        let points = posed[SKIN].as_ref().unwrap();
        let ring: Vec<Vec2> =
            self.ring.iter().map(|i| placed.transform_point3(points[*i as usize]).truncate()).collect();
        let low = ring.iter().fold(Vec2::INFINITY, |a, p| a.min(*p)) - 2.5;
        let high = ring.iter().fold(Vec2::NEG_INFINITY, |a, p| a.max(*p)) + 2.5;
        let beyond = |p: Vec2| p.cmplt(low).any() || p.cmpgt(high).any();
        // The tongue may pass the lips, from below it hides them.
        opening
            .iter()
            .filter(|(p, t)| *t != Thing::Tongue && (beyond(*p) || !near_or_in(&ring, *p, 2.5)))
            .count()
    }
}

/// Whether a point lies in a polygon or not farther than `far` from its edge.
fn near_or_in(ring: &[Vec2], p: Vec2, far: f32) -> bool {
    let edges = || ring.iter().zip(ring.iter().cycle().skip(1));
    let crossed = edges()
        .filter(|(a, b)| (a.y > p.y) != (b.y > p.y) && p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x));
    crossed.count() % 2 == 1
        || edges().any(|(a, b)| {
            let along = *b - *a;
            let t = ((p - *a).dot(along) / along.length_squared().max(1e-9)).clamp(0.0, 1.0);
            p.distance(*a + along * t) <= far
        })
}

fn count(opening: &[(Vec2, Thing)], thing: Thing) -> usize {
    opening.iter().filter(|(_, t)| *t == thing).count()
}

fn set(values: &[(Control, f32)]) -> Vec<f32> {
    let mut face = vec![0.0; Control::ALL.len()];
    values.iter().for_each(|(c, v)| face[*c as usize] = *v);
    face
}

/// The frames of a sound, from the one before it to the one after.
fn frames(start: f64, end: f64) -> impl Iterator<Item = Seconds> {
    ((start * 24.0).floor() as i64..=(end * 24.0).ceil() as i64).map(|k| Seconds(k as f64 / 24.0))
}

/// A face without its head's and eyes' turns.
fn face_at(face: &Performance, time: Seconds) -> Vec<f32> {
    let mut at = face.face_at(time);
    for control in [Control::HeadYaw, Control::HeadPitch, Control::HeadRoll] {
        at[control as usize] = 0.0;
    }
    at
}

#[test]
fn what_is_sealed_is_seen_sealed_and_nothing_comes_through() {
    sealed(&Drawn::read(0, &BRAM), &common::bram().1, |_| true, 2000);
}

/// The shapes that a plain head is given, too; under moods in her own two lines.
#[test]
fn what_was_given_shapes_is_seen_sealed_as_well() {
    let character = CHARACTERS[3].read().unwrap();
    let wiring = CHARACTERS[3].wiring(&character).unwrap();
    let measured = character.mouth(&wiring).unwrap().unwrap();
    sealed(&Drawn::read(3, &WREN), &measured, |line| line >= 15, 400);
}

/// Every sealed frame of the demo's lines on a mouth, at least so many pictures; `moods` says on which lines moods are laid.
fn sealed(mouth: &Drawn, measured: &jam_rig::Mouth, moods: impl Fn(usize) -> bool, least: usize) {
    assert!(mouth.ring.len() > 80, "{}", mouth.ring.len());
    // The measure tells right from wrong: rest is shut, a jaw that is a twentieth open is not.
    let rest = mouth.posed(&set(&[]));
    assert!(VIEWS.iter().all(|v| mouth.opening(&rest, *v).is_empty()), "open at rest");
    let ajar = mouth.posed(&set(&[(Control::JawOpen, 0.05)]));
    assert!(VIEWS.iter().all(|v| mouth.opening(&ajar, *v).len() > 20), "not seen open");

    // And so does the measure that the check list goes by, which knows points and no pictures.
    assert!(f64::from(measured.seen(&set(&[])).lips) <= SEAL_GAP);
    assert!(f64::from(measured.seen(&set(&[(Control::JawOpen, 0.05)])).lips) > SEAL_GAP);

    let (mut sealed, mut worst, mut wrong, mut through) = (0, 0, Vec::new(), Vec::new());
    for (number, (line, heard)) in lines().iter().enumerate() {
        let laid = Mood::NAMED[..6].iter().filter(|_| moods(number)).map(Some);
        for mood in std::iter::once(None).chain(laid) {
            let face = performance(&under(line, mood), heard, FrameRate::FILM);
            let called = mood.map_or("no mood", Mood::title);
            for k in 0..(face.len() as f64 / jam_face::HZ * 24.0) as i64 {
                let time = Seconds(k as f64 / 24.0);
                let now = face_at(&face, time);
                let shut = now[Control::LipsClose as usize] >= 0.98;
                // What is not sealed is looked at on every other frame, under a mood on every eighth, from one side each.
                let every = if mood.is_some() { 8 } else { 2 };
                if !shut && k % every != 0 {
                    continue;
                }
                let posed = mouth.posed(&now);
                let one = [VIEWS[(k / every) as usize % VIEWS.len()]];
                for view in if shut { VIEWS.to_vec() } else { one.to_vec() } {
                    let opening = mouth.opening(&posed, view);
                    if shut {
                        assert!(
                            f64::from(measured.seen(&now).lips) <= SEAL_GAP,
                            "{} of {}",
                            time.0,
                            line.text
                        );
                        sealed += 1;
                        worst = worst.max(opening.len());
                        if !opening.is_empty() {
                            wrong.push(format!(
                                "{} at {:.2} of “{}” {called} {view:?}",
                                opening.len(),
                                time.0,
                                line.text
                            ));
                        }
                    }
                    let out = mouth.through(&posed, view, &opening);
                    if out > 0 {
                        through.push(format!("{out} at {:.2} of “{}” {called} {view:?}", time.0, line.text));
                    }
                }
            }
        }
    }
    println!(
        "{sealed} sealed pictures, worst {worst} pixels, {} open; {} with something through",
        wrong.len(),
        through.len()
    );
    wrong
        .iter()
        .chain(&through)
        .step_by(1 + (wrong.len() + through.len()) / 40)
        .for_each(|w| println!("{w}"));
    assert!(sealed > least && wrong.is_empty() && through.is_empty());
}

/// F and V: the lower lip lies on the edge of the upper teeth, whose edge is seen and not their whole height, and nothing
/// lies between. TH: the tongue between the teeth. S and Z: teeth near each other. OO and W when they are round, SH and
/// its kin when they are pushed out: no upper teeth, or next to none.
#[test]
fn lip_teeth_and_tongue_are_seen_where_they_belong() {
    belong(&Drawn::read(0, &BRAM));
}

#[test]
fn what_was_given_shapes_shows_lip_teeth_and_tongue_where_they_belong() {
    belong(&Drawn::read(3, &WREN));
}

fn belong(mouth: &Drawn) {
    let (mut checked, mut wrong) = (BTreeMap::new(), Vec::new());
    // Most of the upper teeth that lips leave where they are strong.
    let mut left: BTreeMap<String, usize> = BTreeMap::new();
    for (line, heard) in lines() {
        let timing = line.timing.as_ref().unwrap();
        let face = performance(line, heard, FrameRate::FILM);
        for sound in timing.sounds.iter().filter(|s| s.symbol.is_none()) {
            let mut hidden = |seen: &[(Vec2, Thing)], most: usize| {
                let teeth = count(seen, Thing::UpperTeeth);
                let own = left.entry(sound.phone.to_string()).or_default();
                *own = teeth.max(*own);
                teeth <= most
            };
            let front = |t: Seconds| {
                let now = face_at(&face, t);
                let opening = mouth.opening(&mouth.posed(&now), VIEWS[0]);
                // In the middle third: there it is read.
                let middle = |(p, _): &(Vec2, Thing)| (p.x - 100.0).abs() < 20.0;
                (now, opening.into_iter().filter(middle).collect::<Vec<_>>())
            };
            let shown = || frames(sound.span.start.0, sound.span.end.0).map(front);
            let holds = match sound.phone {
                Phone::F | Phone::V => shown().any(|(_, seen)| {
                    let teeth = count(&seen, Thing::UpperTeeth);
                    let high = teeth as f32 / 40.0 * 0.5;
                    (0.3..8.0).contains(&high) && seen.len() - teeth <= 12
                }),
                Phone::Th | Phone::Dh => shown().any(|(_, seen)| count(&seen, Thing::Tongue) > 40),
                // Between the rows 4 mm at most, less than half of where the teeth show in a vowel.
                Phone::S | Phone::Z => shown().any(|(_, seen)| {
                    let between = count(&seen, Thing::Tongue) + count(&seen, Thing::Inside);
                    count(&seen, Thing::UpperTeeth) > 40 && between as f32 / 40.0 * 0.5 < 4.0
                }),
                Phone::Uw | Phone::W => {
                    let round = |now: &Vec<f32>| now[Control::LipsRound as usize];
                    let strongest = shown().max_by(|a, b| round(&a.0).total_cmp(&round(&b.0)));
                    strongest.is_some_and(|(now, seen)| round(&now) < 0.9 || hidden(&seen, 8))
                }
                // Pushed out by more than half they leave one and a half millimetres of the upper teeth at most.
                Phone::Sh | Phone::Zh | Phone::Ch | Phone::Jh => {
                    let pushed = |now: &Vec<f32>| now[Control::LipsProtrude as usize];
                    let strongest = shown().max_by(|a, b| pushed(&a.0).total_cmp(&pushed(&b.0)));
                    strongest.is_some_and(|(now, seen)| pushed(&now) < 0.5 || hidden(&seen, 120))
                }
                _ => continue,
            };
            *checked.entry(sound.phone.to_string()).or_insert(0) += 1;
            if !holds {
                let all: Vec<String> = shown()
                    .map(|(now, s)| {
                        let n = |t| count(&s, t);
                        format!(
                            "round {:.2} u{} l{} t{} i{}",
                            now[Control::LipsRound as usize],
                            n(Thing::UpperTeeth),
                            n(Thing::LowerTeeth),
                            n(Thing::Tongue),
                            n(Thing::Inside)
                        )
                    })
                    .collect();
                wrong
                    .push(format!("{} at {:.2} of “{}” {all:?}", sound.phone, sound.span.start.0, line.text));
            }
        }
    }
    println!("{checked:?}, {} wrong", wrong.len());
    // Forty columns are looked at, two pixels are a millimetre.
    let high = left.iter().map(|(phone, n)| format!("{phone} {:.2}", *n as f32 / 80.0));
    println!("upper teeth that are left, mm at most: {}", high.collect::<Vec<_>>().join(", "));
    wrong.iter().for_each(|w| println!("{w}"));
    assert!(wrong.is_empty());
}

/// Where the other two have their mouths; metres.
const BELL_MOUTH: Vec3 = Vec3::new(0.0, -0.036, 0.09);
const ODILE_MOUTH: Vec3 = Vec3::new(0.0, -0.047, 0.07);

/// A character with what lies near its mouth.
fn near_mouth(character: usize, middle: Vec3, reach: f32) -> (Body, Wiring) {
    let file = CHARACTERS[character].read().unwrap();
    let wiring = CHARACTERS[character].wiring(&file).unwrap();
    let mut body = file.prepared(&wiring).unwrap().body().unwrap();
    let rest = wiring.apply_with(&set(&[]), Some(0));
    // Also what is not shown at rest: every mouth has its place.
    let shown: Vec<f32> = wiring
        .targets()
        .iter()
        .zip(&rest)
        .map(|(t, v)| if matches!(t, Target::Shown { .. }) { 1.0 } else { *v })
        .collect();
    let posed = body.posed(&wiring.targets(), &shown);
    for (part, points) in body.parts.iter_mut().zip(&posed) {
        let points = points.as_ref().unwrap();
        part.triangles.retain(|t| t.iter().any(|i| points[*i as usize].distance(middle) < reach));
    }
    (body, wiring)
}

/// The bell's rope lips hide its dark and its clapper whenever they are sealed, from all sides; of Odile's mouths the
/// closed one stands alone then, and has nothing as dark as a mouth.
#[test]
fn joints_and_swapped_mouths_are_seen_sealed_too() {
    let (bell, wiring) = near_mouth(2, BELL_MOUTH, 0.09);
    let targets = wiring.targets();
    let inside = |part: usize| ["inside", "tongue"].contains(&bell.name(part));
    let view = |(yaw, pitch): (f32, f32), at: Vec3, wide: f32| View {
        at,
        yaw,
        pitch,
        wide,
        width: 160,
        height: 120,
    };
    let seen = |face: &[f32], from: (f32, f32)| {
        let posed = bell.posed(&targets, &wiring.apply(face));
        let sight = Sight::of(&bell, &posed, &view(from, BELL_MOUTH, 0.13));
        // The uppermost rows are the eyes': beside a squinting lid the clapper's rod may be seen, which is no mouth.
        sight.pixels.iter().skip(10 * 160).flatten().filter(|s| inside(s.part)).count()
    };
    assert!(VIEWS.iter().all(|v| seen(&set(&[(Control::JawOpen, 0.3)]), *v) > 20), "not seen open");
    let (odile, paper) = near_mouth(1, ODILE_MOUTH, 0.06);
    let chart = paper.chart.as_ref().unwrap();
    let closed = chart.kinds[&MouthKind::Closed];
    let name = chart.drawings[closed].shown_node();
    let drawn = |part: usize| chart.drawings.iter().any(|d| d.shown_node() == odile.name(part));
    let (mut rope, mut cut, mut wrong) = (0, 0, Vec::new());
    for (line, heard) in lines() {
        let timing = line.timing.as_ref().unwrap();
        let face = performance(line, heard, FrameRate::FILM);
        let frames = (face.len() as f64 / jam_face::HZ * 24.0) as usize;
        let stepped = chart.stepped(timing, line.diction.lead, FrameRate::FILM, frames);
        // With every basic mood at full, too.
        for mood in std::iter::once(None).chain(Mood::NAMED[..6].iter().map(Some)) {
            let face = performance(&under(line, mood), heard, FrameRate::FILM);
            for k in 0..frames {
                let now = face_at(&face, Seconds(k as f64 / 24.0));
                if now[Control::LipsClose as usize] < 0.98 {
                    continue;
                }
                for from in VIEWS {
                    rope += 1;
                    let open = seen(&now, from);
                    if open > 0 {
                        let called = mood.map_or("no mood", Mood::title);
                        wrong
                            .push(format!("bell, {called}: {open} at frame {k} of “{}” {from:?}", line.text));
                    }
                }
            }
        }
        for sound in timing.sounds.iter().filter(|s| matches!(s.phone, Phone::P | Phone::B | Phone::M)) {
            let own =
                (sound.span.start.0 * 24.0).floor() as usize..=(sound.span.end.0 * 24.0).ceil() as usize;
            let Some(k) = own.clone().find(|k| stepped.get(*k) == Some(&closed)) else {
                wrong.push(format!("Odile: {} at {:.2} of “{}”", sound.phone, sound.span.start.0, line.text));
                continue;
            };
            let now = face_at(&face, Seconds(k as f64 / 24.0));
            let posed = odile.posed(&paper.targets(), &paper.apply_with(&now, Some(closed)));
            for from in VIEWS {
                cut += 1;
                let sight = Sight::of(&odile, &posed, &view(from, ODILE_MOUTH, 0.08));
                let mouth: Vec<&Seen> = sight.pixels.iter().flatten().filter(|s| drawn(s.part)).collect();
                let dark = |s: &&&Seen| {
                    let part = &odile.parts[s.part];
                    let colour: Vec3 = part.triangles[s.triangle]
                        .iter()
                        .zip(s.shares)
                        .map(|(i, share)| part.colours[*i as usize] * share)
                        .sum();
                    colour.dot(Vec3::new(0.2126, 0.7152, 0.0722)) < 0.012
                };
                let others = mouth.iter().filter(|s| odile.name(s.part) != name).count();
                let black = mouth.iter().filter(dark).count();
                if mouth.len() < 50 || others > 0 || black > 0 {
                    wrong.push(format!("Odile: {} pixels, {others} of others, {black} dark", mouth.len()));
                }
            }
        }
    }
    println!("{rope} pictures of rope, {cut} of paper, {} wrong", wrong.len());
    wrong.iter().step_by(1 + wrong.len() / 20).for_each(|w| println!("{w}"));
    assert!(rope > 400 && cut > 100 && wrong.is_empty());
}

/// Whatever mouth stands, its corners tell a glad line from a sad one; facts of the trade, no source.
#[test]
fn moods_show_at_every_swapped_mouth() {
    let (odile, paper) = near_mouth(1, ODILE_MOUTH, 0.06);
    let targets = paper.targets();
    let (line, heard) = &lines()[12];
    let middle = Seconds(0.5 * line.timing.as_ref().unwrap().end().0);
    let [glad, sad] = [Mood::Happiness, Mood::Sadness]
        .map(|mood| face_at(&performance(&under(line, Some(&mood)), heard, FrameRate::FILM), middle));
    for (d, drawing) in paper.chart.as_ref().unwrap().drawings.iter().enumerate() {
        let part = (0..odile.parts.len()).find(|p| drawing.shown_node() == odile.name(*p)).unwrap();
        // How high its corners stand over its middle, in its own widths.
        let corners = |face: &[f32]| {
            let posed = odile.posed(&targets, &paper.apply_with(face, Some(d)));
            let points = posed[part].as_ref().unwrap();
            let (left, right) =
                points.iter().map(|p| p.x).fold((f32::MIN, f32::MAX), |(a, b), x| (a.max(x), b.min(x)));
            let wide = left - right;
            let height = |near: &dyn Fn(f32) -> bool| {
                let own: Vec<f32> = points.iter().filter(|p| near(p.x)).map(|p| p.y).collect();
                own.iter().sum::<f32>() / own.len() as f32
            };
            let between = height(&|x| (x - 0.5 * (left + right)).abs() < 0.1 * wide);
            [left, right].map(|end| (height(&|x| (x - end).abs() < 0.05 * wide) - between) / wide)
        };
        let (up, down) = (corners(&glad), corners(&sad));
        for (up, down) in up.into_iter().zip(down) {
            assert!(up - down > 0.08, "{}: {up} and {down}", drawing.shown_node());
        }
    }
}
