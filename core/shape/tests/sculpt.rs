//! The brush: kept to its side of lips and lids, alike on both sides, and nothing that is sealed opened. The design's prototype
//! (scipy's Dijkstra on another head) measured 14.2 % of the mouth dragged over by a straight falloff and 0.0 % along the surface.

mod targets;

use glam::DVec3;
use jam_shape::curve::distance;
use jam_shape::template::shipped;
use jam_shape::{
    Brush, Change, Closing, Ground, Layer, Piece, PieceShapes, Progress, Region, ShapeError, Shaped, Spot,
    Stroke, Wish, Worked, other_side, transfer,
};
use proptest::prelude::*;
use std::sync::OnceLock;
use targets::{Bent, Made, Target, make};

struct Face {
    target: Target,
    shaped: Shaped,
    worked: Worked,
    ground: Ground,
}

fn face() -> &'static Face {
    static DONE: OnceLock<Face> = OnceLock::new();
    DONE.get_or_init(|| {
        let target = make(&Made::of(Bent::Warp));
        let go = Progress(&|_| true);
        let (shaped, worked) =
            transfer(shipped(), &target.pieces, None, &target.marks, &Wish::default(), &go).expect("shapes");
        let ground = Ground::new(shipped(), &target.pieces, &target.marks, &go).expect("a face");
        Face { target, shaped, worked, ground }
    })
}

impl Face {
    /// The points of an edge, by its number.
    fn edge(&self, number: usize) -> Vec<u32> {
        let chain = self.worked.chains[number].as_ref().expect("an edge");
        let points = &self.target.pieces[0].mesh.points;
        let one = |i: &u32| {
            let at = self.worked.similarity.point_back(self.worked.face.at(*i));
            let far = |k: &u32| points[*k as usize].distance_squared(at);
            (0..points.len() as u32).min_by(|a, b| far(a).total_cmp(&far(b))).expect("a point")
        };
        chain.points.iter().map(one).collect()
    }

    fn at(&self, point: u32) -> DVec3 {
        self.target.pieces[0].mesh.points[point as usize]
    }

    fn stroke(&self, shape: &str, point: u32, by: DVec3) -> Stroke {
        Stroke {
            shape: shape.into(),
            brush: Brush::Move { by: by.to_array() },
            at: vec![Spot { piece: 0, point }],
            radius: 0.55,
            strength: 1.0,
            mirrored: false,
            seal: false,
            only: None,
        }
    }

    fn made(&self, stroke: &Stroke) -> Vec<Change> {
        self.ground
            .stroke(&self.shaped.pieces, &self.shaped.pieces, &Closing::default(), stroke)
            .expect("a stroke")
    }

    /// Gap between two edges, in mouth widths, with some shapes on and changes added to them.
    fn gap(&self, edges: [usize; 2], on: &[(&str, f64)], changes: &[Change]) -> f64 {
        let mut by = vec![DVec3::ZERO; self.target.outside.len()];
        for (name, weight) in on {
            let own = self.shaped.pieces[0].shapes.iter().find(|s| s.name == *name);
            own.into_iter().flat_map(|s| &s.moves).for_each(|(i, m)| by[*i as usize] += *weight * *m);
            changes.iter().filter(|c| c.shape == *name).for_each(|c| {
                moved(c).into_iter().for_each(|(i, m)| by[i as usize] += *weight * m);
            });
        }
        let placed = |k: usize| -> Vec<DVec3> {
            self.edge(k).into_iter().map(|i| self.at(i) + by[i as usize]).collect()
        };
        let (a, b) = (placed(edges[0]), placed(edges[1]));
        a.iter().map(|p| distance(&b, *p)).fold(0.0, f64::max) / self.target.mouth
    }
}

/// The moves of the first piece.
fn moved(change: &Change) -> Vec<(u32, DVec3)> {
    let first = change.pieces.iter().filter(|p| p.piece == 0);
    first
        .flat_map(|p| p.points.iter().zip(&p.by))
        .map(|(i, by)| (*i, DVec3::from(by.map(f64::from))))
        .collect()
}

fn length_at(changes: &[Change], point: u32) -> f64 {
    let of = |c: &Change| moved(c).into_iter().find(|(i, _)| *i == point).map_or(0.0, |(_, m)| m.length());
    changes.iter().map(of).fold(0.0, f64::max)
}

#[test]
fn a_stroke_on_one_lip_or_lid_leaves_the_other_where_it_is() {
    let face = face();
    for (own, other, shape) in [(0, 1, "jaw_open"), (1, 0, "jaw_open"), (2, 3, "lid_wide_left")] {
        let (edge, across) = (face.edge(own), face.edge(other));
        let point = edge[edge.len() / 3];
        let by = DVec3::new(0.0, 0.14, 0.0) * face.target.mouth;
        let stroke = face.stroke(shape, point, by);
        let changes = face.made(&stroke);
        assert!((length_at(&changes, point) - by.length()).abs() < 1e-6, "what is held goes all the way");
        // Of the other edge only points that both share, at the corners, may be near.
        let free: Vec<u32> = across.into_iter().filter(|i| !edge.contains(i)).collect();
        let near = free.iter().filter(|i| face.at(**i).distance(face.at(point)) < 0.45 * face.target.mouth);
        assert!(near.count() > 2, "a straight brush would have reached over");
        let dragged = free.iter().map(|i| length_at(&changes, *i)).fold(0.0, f64::max);
        assert!(dragged < 0.001 * face.target.mouth, "edge {other} dragged by {dragged}");
    }
}

#[test]
fn a_stroke_fades_along_the_skin_and_ends_at_its_radius() {
    let face = face();
    let edge = face.edge(0);
    let point = edge[edge.len() / 2];
    let changes = face.made(&face.stroke("lips_round", point, DVec3::Y));
    let all = moved(&changes[0]);
    assert!(all.len() > 30, "{}", all.len());
    for (i, by) in &all {
        let far = face.at(*i).distance(face.at(point)) / (0.55 * face.target.mouth);
        assert!(far < 1.0 + 1e-6, "moved beyond its radius: {far}");
        // Along the skin it is never nearer than straight.
        assert!(by.length() <= (1.0 - far * far).powi(2) + 1e-6, "{by} at {far}");
    }
}

#[test]
fn both_sides_are_changed_alike_by_place_not_by_mesh() {
    let face = face();
    let corner = face.edge(0)[0];
    let by = DVec3::new(0.03, 0.05, 0.02) * face.target.mouth;
    let mut stroke = face.stroke("corner_up_left", corner, by);
    stroke.mirrored = true;
    let changes = face.made(&stroke);
    let [left, right] = ["corner_up_left", "corner_up_right"]
        .map(|n| changes.iter().find(|c| c.shape == n).map(moved).expect("both sides"));
    // Each on its own side of the face, and the right one moved to the right.
    let far =
        |of: &[(u32, DVec3)]| *of.iter().max_by(|a, b| a.1.length().total_cmp(&b.1.length())).expect("moves");
    let ((l, own), (r, image)) = (far(&left), far(&right));
    assert!(face.at(l).x > 0.0 && face.at(r).x < 0.0);
    assert!(face.at(r).distance(face.at(*face.edge(0).last().expect("a corner"))) < 0.1 * face.target.mouth);
    assert!(
        own.x > 0.0 && image.x < 0.0 && (image.length() / own.length() - 1.0).abs() < 0.02,
        "{own} {image}"
    );
    // In a shape of both sides they share where they overlap: nothing goes further than the brush.
    let middle = face.edge(0)[face.edge(0).len() / 2];
    let up = DVec3::Y * 0.1 * face.target.mouth;
    let both = face.made(&Stroke { mirrored: true, ..face.stroke("lips_round", middle, up) });
    let most = moved(&both[0]).into_iter().map(|(_, m)| m.length()).fold(0.0, f64::max);
    assert!(most < 1.001 * up.length(), "{most}");
}

#[test]
fn a_stroke_is_kept_to_its_part() {
    let face = face();
    let edge = face.edge(1);
    let point = edge[edge.len() / 2];
    let free = face.made(&Stroke { radius: 1.5, ..face.stroke("jaw_open", point, DVec3::Y) });
    let kept = face.made(&Stroke {
        radius: 1.5,
        only: Some(Region::LowerLip),
        ..face.stroke("jaw_open", point, DVec3::Y)
    });
    let chin = face.target.marks.chin.into();
    let near = |changes: &[Change]| {
        let at_chin = |(i, m): (u32, DVec3)| {
            (face.at(i).distance(chin) < 0.15 * face.target.mouth).then_some(m.length())
        };
        moved(&changes[0]).into_iter().filter_map(at_chin).fold(0.0, f64::max)
    };
    assert!(near(&free) > 0.1 && near(&kept) < 1e-3, "{} {}", near(&free), near(&kept));
    assert!((length_at(&kept, point) - 1.0).abs() < 0.35, "the lip itself goes along");
}

#[test]
fn smoothing_evens_a_bumpy_shape_and_taking_back_brings_it_home() {
    let face = face();
    let mut bumpy = face.shaped.pieces.clone();
    let mut sign = 1.0;
    for (_, by) in &mut bumpy[0].shapes.iter_mut().find(|s| s.name == "jaw_open").expect("the jaw").moves {
        by.y += sign * 0.02 * face.target.mouth;
        sign = -sign;
    }
    let chin = face.target.marks.chin.into();
    let nearest = |i: &u32| face.at(*i).distance(chin);
    let point = (0..face.target.outside.len() as u32)
        .min_by(|a, b| nearest(a).total_cmp(&nearest(b)))
        .expect("a chin");
    let off = |shapes: &[PieceShapes]| {
        let get = |of: &[PieceShapes]| -> Vec<(u32, DVec3)> {
            of[0].shapes.iter().find(|s| s.name == "jaw_open").expect("the jaw").moves.clone()
        };
        let (now, true_) = (get(shapes), get(&face.shaped.pieces));
        let near =
            now.iter().zip(true_).filter(|((i, _), _)| face.at(*i).distance(chin) < 0.2 * face.target.mouth);
        let squares: Vec<f64> = near.map(|((_, a), (_, b))| (*a - b).length_squared()).collect();
        (squares.iter().sum::<f64>() / squares.len() as f64).sqrt() / face.target.mouth
    };
    let with = |changes: &[Change]| {
        let mut out = bumpy.clone();
        let jaw = out[0].shapes.iter_mut().find(|s| s.name == "jaw_open").expect("the jaw");
        let add: std::collections::BTreeMap<u32, DVec3> = moved(&changes[0]).into_iter().collect();
        jaw.moves.iter_mut().for_each(|(i, by)| *by += add.get(i).copied().unwrap_or_default());
        out
    };
    let stroke = |brush| Stroke {
        brush,
        at: vec![Spot { piece: 0, point }; 3],
        radius: 1.0,
        ..face.stroke("jaw_open", point, DVec3::ZERO)
    };
    let smooth = face
        .ground
        .stroke(&bumpy, &face.shaped.pieces, &Closing::default(), &stroke(Brush::Smooth))
        .expect("a stroke");
    let back = face
        .ground
        .stroke(&bumpy, &face.shaped.pieces, &Closing::default(), &stroke(Brush::Back))
        .expect("a stroke");
    let (was, smoothed, taken) = (off(&bumpy), off(&with(&smooth)), off(&with(&back)));
    assert!(smoothed < 0.5 * was, "{was} {smoothed}");
    assert!(taken < 0.02 * was, "{was} {taken}");
}

#[test]
fn what_is_no_shape_and_no_skin_is_refused() {
    let face = face();
    let wrong = |stroke: &Stroke| {
        face.ground.stroke(&face.shaped.pieces, &[], &Closing::default(), stroke).expect_err("refused")
    };
    assert_eq!(wrong(&face.stroke("no such", 0, DVec3::Y)), ShapeError::NoShape("no such".into()));
    let eye = Stroke { at: vec![Spot { piece: 1, point: 0 }], ..face.stroke("jaw_open", 0, DVec3::Y) };
    assert_eq!(wrong(&eye), ShapeError::OffTheSkin);
    let nowhere = Stroke { at: vec![Spot { piece: 9, point: 9 }], ..eye };
    assert_eq!(wrong(&nowhere), ShapeError::OffTheSkin);
    let none = Stroke { at: Vec::new(), brush: Brush::Smooth, ..nowhere };
    assert_eq!(wrong(&none), ShapeError::OffTheSkin);
}

#[test]
fn a_brow_mesh_goes_with_the_skin_beneath() {
    let face = face();
    // A patch a little before the brow, as brows are modelled.
    let brow =
        DVec3::from(face.target.marks.eye_left_outer) + DVec3::new(-0.2, 0.35, 0.0) * face.target.mouth;
    let near = |i: &usize| face.at(*i as u32).distance(brow);
    let skin = &face.target.pieces[0].mesh;
    let point =
        (0..skin.points.len()).filter(|i| face.target.outside[*i]).min_by(|a, b| near(a).total_cmp(&near(b)));
    let point = point.expect("a point") as u32;
    let chosen: Vec<bool> =
        skin.points.iter().map(|p| p.distance(face.at(point)) < 0.2 * face.target.mouth).collect();
    let normals = skin.normals();
    let (mut patch, kept) = skin.part(&chosen);
    for (p, i) in patch.points.iter_mut().zip(&kept) {
        *p += 0.04 * face.target.mouth * normals[*i as usize];
    }
    let mut pieces = face.target.pieces.clone();
    pieces.push(Piece { name: "brow".into(), mesh: patch });
    let ground = Ground::new(shipped(), &pieces, &face.target.marks, &Progress(&|_| true)).expect("a face");
    let mut shapes = face.shaped.pieces.clone();
    // It has shapes of its own, so it is moved with them.
    shapes.push(shapes[0].clone());
    shapes[3].shapes.iter_mut().for_each(|s| s.moves.clear());
    let stroke = face.stroke("brow_inner_up_left", point, DVec3::Y);
    let changes = ground.stroke(&shapes, &shapes, &Closing::default(), &stroke).expect("a stroke");
    let own: Vec<f32> =
        changes[0].pieces.iter().filter(|p| p.piece == 3).flat_map(|p| &p.by).map(|b| b[1]).collect();
    // Corners that no triangle of the patch is left of are of no mesh.
    let patch = &pieces[3].mesh;
    let used: std::collections::BTreeSet<u32> = patch.triangles.iter().flatten().copied().collect();
    assert_eq!(own.len(), used.len(), "all of it");
    let on_brow = Stroke { at: vec![Spot { piece: 3, point: *used.first().expect("a point") }], ..stroke };
    let changes = ground
        .stroke(&shapes, &shapes, &Closing::default(), &on_brow)
        .expect("the brush on the brow holds the skin beneath");
    assert!(changes[0].pieces.iter().any(|p| p.piece == 0) && changes[0].pieces.iter().any(|p| p.piece == 3));
    assert!(own.iter().all(|y| *y > 0.3), "{own:?}");
}

#[test]
fn names_of_sides_are_told_in_several_spellings() {
    for (left, right) in [
        ("corner_up_left", "corner_up_right"),
        ("eyeBlinkLeft", "eyeBlinkRight"),
        ("Smile_L", "Smile_R"),
        ("blink.l", "blink.r"),
        ("BrowUpL", "BrowUpR"),
    ] {
        assert_eq!(other_side(left), right);
        assert_eq!(other_side(right), left);
    }
    for name in ["jaw_open", "SMALL", "pucker", "L", ""] {
        assert_eq!(other_side(name), name);
    }
}

fn some_change(shape: &str, seed: u32) -> Change {
    let by = |k: u32| [(seed + k) as f32, 1.0, -(k as f32)];
    let points: Vec<u32> = (0..4).map(|k| k * (1 + seed % 3)).collect();
    let moves =
        jam_shape::PieceMoves { piece: seed % 2, by: points.iter().map(|k| by(*k)).collect(), points };
    Change { shape: shape.into(), pieces: vec![moves] }
}

#[test]
fn a_layer_keeps_names_apart() {
    let file: Vec<String> = ["a", "b", "c"].map(String::from).to_vec();
    let mut layer = Layer::default();
    layer.change(&some_change("new", 1));
    layer.rename("b", "bee", &file);
    layer.remove("c", &file);
    assert_eq!(layer.names(&file), ["a", "bee", "new"]);
    // A new one may take the name of one that is gone, and is not that one.
    layer.change(&some_change("c", 2));
    assert_eq!(layer.names(&file), ["a", "bee", "c", "new"]);
    assert_eq!(layer.name_of("c"), None);
    layer.order = vec!["new".into(), "bee".into()];
    assert_eq!(layer.names(&file), ["new", "bee", "a", "c"]);
    layer.rename("new", "newer", &file);
    assert_eq!(layer.names(&file), ["newer", "bee", "a", "c"]);
    layer.rename("bee", "b", &file);
    layer.remove("newer", &file);
    layer.remove("c", &file);
    assert_eq!(layer.names(&file), ["b", "a"]);
    assert!(layer.called.is_empty() && layer.moved.is_empty(), "{layer:?}");
}

/// On a face whose shapes are called otherwise, too.
#[test]
fn the_closing_shape_takes_back_what_the_jaw_gets() {
    let face = face();
    let mut shapes = face.shaped.pieces.clone();
    for shape in shapes.iter_mut().flat_map(|p| &mut p.shapes) {
        match shape.name.as_str() {
            "jaw_open" => shape.name = "Mouth wide".into(),
            "lips_close" => shape.name = "Seal".into(),
            _ => {}
        }
    }
    let edge = face.edge(1);
    let stroke = Stroke { seal: true, ..face.stroke("Mouth wide", edge[edge.len() / 2], DVec3::Y) };
    let closing = Closing { jaw: "Mouth wide".into(), lips: "Seal".into() };
    let changes = face.ground.stroke(&shapes, &shapes, &closing, &stroke).expect("a stroke");
    let [jaw, lips] = ["Mouth wide", "Seal"]
        .map(|n| changes.iter().find(|c| c.shape == n).map(moved).expect("both are changed"));
    assert!(jaw.len() > 10 && jaw.len() == lips.len());
    for ((i, a), (k, b)) in jaw.into_iter().zip(lips) {
        assert!(i == k && (a + b).length() < 1e-6);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// Wherever and however a stroke goes: what is sealed stays sealed at any weight, and an open mouth shows the stroke.
    #[test]
    fn a_locked_stroke_opens_nothing(
        at in 0.0f64..1.0,
        upper in any::<bool>(),
        by in prop::array::uniform3(-0.15f64..0.15),
        radius in 0.2f64..1.2,
        mirrored in any::<bool>(),
        weight in 0.1f64..1.0,
    ) {
        let face = face();
        let edge = face.edge(usize::from(!upper));
        let point = edge[((edge.len() - 1) as f64 * at) as usize];
        let by = DVec3::from(by) * face.target.mouth;
        for (shape, on) in [
            ("jaw_open", vec![("jaw_open", weight), ("lips_close", weight), ("lips_meet", 1.0)]),
            ("lips_close", vec![("jaw_open", weight), ("lips_close", weight), ("lips_meet", 1.0)]),
            ("corner_up_left", vec![("corner_up_left", weight), ("corner_up_right", weight), ("lips_meet", 1.0)]),
        ] {
            let stroke = Stroke { radius, mirrored, seal: true, ..face.stroke(shape, point, by) };
            let changes = face.made(&stroke);
            let (was, now) = (face.gap([0, 1], &on, &[]), face.gap([0, 1], &on, &changes));
            prop_assert!(now < was + 0.004, "{shape}: {was} to {now}");
            // Near the middle both sides share where they overlap, so what goes aside there stays.
            if shape == "jaw_open" && !mirrored {
                prop_assert!((length_at(&changes, point) - by.length()).abs() < 1e-5 + 0.01 * by.length());
            }
        }
    }

    /// Both halves of a shape add up to it, and only the seam is in both.
    #[test]
    fn halves_add_up(pick in 0usize..40) {
        let face = face();
        let shapes = &face.shaped.pieces;
        let name = &shapes[0].shapes[pick % shapes[0].shapes.len()].name;
        let half = |left: bool| Change::whole("half", shapes, |piece, point, own| {
            let share = face.ground.left(piece, point);
            if own == name { if left { share } else { 1.0 - share } } else { 0.0 }
        });
        let (left, right) = (half(true), half(false));
        let mut sum = left.clone();
        sum.add(&right);
        let whole = Change::whole("half", shapes, |_, _, own| f64::from(u8::from(own == name)));
        let (sum, whole) = (moved(&sum), moved(&whole));
        prop_assert_eq!(sum.len(), whole.len());
        for ((i, a), (k, b)) in sum.into_iter().zip(whole) {
            prop_assert_eq!(i, k);
            prop_assert!((a - b).length() < 1e-6);
        }
        let deep = 0.2 * face.target.mouth;
        for (i, by) in moved(&left) {
            prop_assert!(face.at(i).x > -deep || by.length() < 1e-9, "left of the left half");
        }
    }

    /// Changes add up in whatever order they come.
    #[test]
    fn changes_add_up_in_any_order(seeds in prop::collection::vec(0u32..6, 1..6)) {
        let build = |order: &[u32]| {
            let mut layer = Layer::default();
            order.iter().for_each(|s| layer.change(&some_change("x", *s)));
            let mut pieces = layer.moved.remove("x").unwrap_or_default();
            pieces.sort_by_key(|p| p.piece);
            pieces
        };
        let reversed: Vec<u32> = seeds.iter().rev().copied().collect();
        prop_assert_eq!(build(&seeds), build(&reversed));
    }
}
