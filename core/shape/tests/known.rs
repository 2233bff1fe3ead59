//! Shapes carried over to faces whose shapes are known, seals at any weight, and what cannot be used.
//!
//! The truth is calculus: a smooth map takes a small move to its Jacobian times the move. The bounds are those of the design's
//! prototype (numpy, scipy and libigl), measured on other heads and another mesh; the table of all faces is
//! `cargo run --release -p jam-shape --example figures`.

mod targets;

use glam::DVec3;
use jam_shape::mesh::face;
use jam_shape::template::{Moves, shipped};
use jam_shape::{
    Jaw, Landmark, Landmarks, Piece, Progress, ShapeError, Shaped, Wish, Worked, propose, transfer,
};
use proptest::prelude::*;
use std::sync::OnceLock;
use targets::{Bent, Made, Target, ball, errors, make, whole};

fn run(target: &Target, wish: &Wish) -> Result<(Shaped, Worked), ShapeError> {
    transfer(shipped(), &target.pieces, None, &target.marks, wish, &Progress(&|_| true))
}

/// An uneven, stretched face and what was made of it: worked out once for all tests.
fn warped() -> &'static (Target, Shaped, Worked) {
    static DONE: OnceLock<(Target, Shaped, Worked)> = OnceLock::new();
    DONE.get_or_init(|| {
        let target = make(&Made::of(Bent::Warp));
        let (shaped, worked) = run(&target, &Wish::default()).expect("shapes");
        (target, shaped, worked)
    })
}

fn moves<'a>(shapes: &'a [Moves], name: &str) -> &'a [(u32, DVec3)] {
    shapes.iter().find(|s| s.name == name).map_or(&[], |s| &s.moves)
}

#[test]
fn shapes_of_known_faces_are_met() {
    for (bent, mean, p95) in [(Bent::Warp, 1.5, 3.5), (Bent::Round, 1.5, 3.5), (Bent::Muzzle, 2.6, 5.6)] {
        let target = make(&Made::of(bent));
        let wish = Wish { jaw: Jaw::Carried, ..Wish::default() };
        let (shaped, _) = run(&target, &wish).expect("shapes");
        let off = whole(&errors(&target, &shaped.pieces[0].shapes));
        assert!(off.mean < mean && off.p95 < p95, "{bent:?}: {off:?}");
    }
}

#[test]
fn a_face_of_few_points_open_or_overlapping_gets_lips_that_seal_and_lids_that_shut() {
    let warp = Made::of(Bent::Warp);
    for made in [
        Made { points: Some(1325), ..warp },
        Made { open: 0.15, ..warp },
        Made { open: -0.08, ..warp },
        Made { noise: 0.003, ..warp },
    ] {
        let target = make(&made);
        let (shaped, _) = run(&target, &Wish::default()).expect("shapes");
        let report = &shaped.report;
        let seal = report.seal.as_ref().expect("edges of the lips");
        assert!(seal.full < 0.5 && seal.half < 0.5 && seal.rest < 0.5, "{made:?}: {seal:?}");
        assert!(seal.jaw_alone > 20.0, "the mouth opens: {seal:?}");
        assert_eq!(report.lids.len(), 2);
        for lid in &report.lids {
            assert!(lid.gap < 0.1 && lid.nearest > 0.95, "{made:?}: {lid:?}");
        }
    }
}

/// Strands in the bag are edges that are drawn out much further than the bag of the head that the shapes come from.
#[test]
fn the_bag_of_a_mouth_that_is_modelled_open_shows_no_strands() {
    for made in [
        Made { open: 0.15, ..Made::of(Bent::Warp) },
        Made { open: 0.3, ..Made::of(Bent::Warp) },
        Made { open: 0.3, ..Made::of(Bent::Round) },
    ] {
        let target = make(&made);
        let (shaped, _) = run(&target, &Wish::default()).expect("shapes");
        let mesh = &target.pieces[0].mesh;
        let edges = mesh.edges().into_iter().map(|(edge, _)| edge);
        let inside: Vec<[u32; 2]> =
            edges.filter(|e| e.iter().all(|i| !target.outside[*i as usize])).collect();
        // By how much the most drawn hundredth of them changes its length.
        let drawn = |by: &dyn Fn(usize) -> DVec3| {
            let change = |e: &[u32; 2]| {
                let [a, b] = e.map(|i| i as usize);
                let was = mesh.points[a].distance(mesh.points[b]);
                ((mesh.points[a] + by(a)).distance(mesh.points[b] + by(b)) - was).abs()
            };
            let mut all: Vec<f64> = inside.iter().map(change).collect();
            all.sort_by(f64::total_cmp);
            all[all.len() * 99 / 100]
        };
        let spread = |name: &str| {
            let mut all = vec![DVec3::ZERO; mesh.points.len()];
            moves(&shaped.pieces[0].shapes, name).iter().for_each(|(i, m)| all[*i as usize] = *m);
            all
        };
        let meet = spread("lips_meet");
        for name in ["jaw_open", "lips_round", "lips_protrude", "lips_close"] {
            let own = spread(name);
            let truth = &target.truth.iter().find(|(n, _)| n == name).expect("a shape").1;
            let (here, there) = (drawn(&|i| own[i] + meet[i]), drawn(&|i| truth[i]));
            assert!(here < 1.8 * there, "{made:?} {name}: {here} {there}");
        }
    }
}

/// Our own head's skin folds nowhere in these shapes, so that a face's has no reason to.
#[test]
fn corners_pulled_down_or_wide_do_not_fold_the_skin() {
    for bent in [Bent::Long, Bent::Muzzle] {
        let target = make(&Made::of(bent));
        let (shaped, _) = run(&target, &Wish::default()).expect("shapes");
        let mesh = &target.pieces[0].mesh;
        let seen: Vec<&[u32; 3]> =
            mesh.triangles.iter().filter(|t| t.iter().all(|i| target.outside[*i as usize])).collect();
        for name in ["corner_down_left", "corner_down_right", "lips_spread_left", "lips_spread_right"] {
            let mut posed = mesh.points.clone();
            for (i, by) in moves(&shaped.pieces[0].shapes, name) {
                posed[*i as usize] += *by;
            }
            let over = seen.iter().filter(|t| face(&mesh.points, t).dot(face(&posed, t)) < 0.0).count();
            assert!(over * 700 < seen.len(), "{bent:?} {name}: {over} of {}", seen.len());
        }
    }
}

#[test]
fn the_neck_landmark_halves_the_throats_errors() {
    // Below the jaw's edge, where the jaw's share falls off.
    let throat = |neck: bool| {
        let target = make(&Made { neck, ..Made::of(Bent::Muzzle) });
        let wish = Wish { jaw: Jaw::Carried, ..Wish::default() };
        let (shaped, _) = run(&target, &wish).expect("shapes");
        let truth = &target.truth.iter().find(|(n, _)| n == "jaw_open").expect("the jaw").1;
        let mut made = vec![DVec3::ZERO; truth.len()];
        for (i, m) in moves(&shaped.pieces[0].shapes, "jaw_open") {
            made[*i as usize] = *m;
        }
        let chin = target.marks.get(Landmark::Chin).expect("a chin").y;
        let low =
            |i: &usize| target.pieces[0].mesh.points[*i].y < chin && truth[*i].length() > 0.01 * target.mouth;
        let off: Vec<f64> = (0..truth.len()).filter(low).map(|i| made[i].distance(truth[i])).collect();
        off.iter().sum::<f64>() / off.len() as f64
    };
    let (with, without) = (throat(true), throat(false));
    assert!(with < 0.6 * without, "{with} {without}");
}

#[test]
fn landmarks_are_proposed_near_where_they_are() {
    for made in [Made::of(Bent::Warp), Made::of(Bent::Long), Made::of(Bent::Round), Made::of(Bent::Muzzle)] {
        let target = make(&Made { off: 0.0, ..made });
        let found = propose(&target.pieces).expect("landmarks");
        for (landmark, at) in found.there().filter(|(l, _)| !matches!(l, Landmark::Neck)) {
            let truth = target.marks.get(landmark).expect("a landmark");
            let loose = matches!(landmark, Landmark::EarLeft | Landmark::EarRight | Landmark::Chin);
            let off = at.distance(truth) / target.mouth;
            assert!(off < if loose { 0.45 } else { 0.25 }, "{made:?} {landmark:?} {off}");
        }
    }
}

#[test]
fn what_is_not_skin_follows_as_it_should() {
    let (target, _, _) = warped();
    let mut pieces = target.pieces.clone();
    let mouth = DVec3::from(target.marks.lip_upper);
    let w = target.mouth;
    // A bar over the left eye, a ball on the tongue's place, and one far away.
    let brow =
        DVec3::from(target.marks.eye_left_inner) * 0.5 + DVec3::from(target.marks.eye_left_outer) * 0.5;
    let bar = |p: DVec3| DVec3::new(3.0 * p.x, 0.5 * p.y, 0.5 * p.z);
    let mut long = ball(DVec3::ZERO, 0.06 * w);
    long.points.iter_mut().for_each(|p| *p = bar(*p) + brow + DVec3::new(0.0, 0.45 * w, 0.12 * w));
    pieces.push(Piece { name: "brow_left".into(), mesh: long });
    pieces.push(Piece {
        name: "tongue".into(),
        mesh: ball(mouth + DVec3::new(0.0, -0.15 * w, -0.5 * w), 0.15 * w),
    });
    pieces.push(Piece { name: "lamp".into(), mesh: ball(mouth + DVec3::new(9.0 * w, 0.0, 0.0), 0.2 * w) });
    let target = Target { pieces, truth: Vec::new(), outside: Vec::new(), ..*target };
    let (shaped, _) = run(&target, &Wish::default()).expect("shapes");
    let names = |k: usize| shaped.pieces[k].shapes.iter().map(|s| s.name.as_str()).collect::<Vec<&str>>();
    assert!(names(1).is_empty() && names(2).is_empty(), "eyes stay");
    let far = |k: usize, name: &str| {
        moves(&shaped.pieces[k].shapes, name).iter().map(|(_, m)| m.length()).fold(0.0, f64::max)
    };
    assert!(far(3, "brow_inner_up_left") > 0.3 * far(0, "brow_inner_up_left"), "{:?}", names(3));
    let lid = far(3, "lid_close_left") / far(0, "lid_close_left");
    assert!(lid < 0.05, "a brow stays while the eye shuts: {lid}");
    assert!(names(4).contains(&"tongue_out") && names(4).contains(&"jaw_open"), "{:?}", names(4));
    assert!(names(5).is_empty(), "{:?}", names(5));
    let down = moves(&shaped.pieces[4].shapes, "jaw_open").iter().map(|(_, m)| m.y).sum::<f64>();
    assert!(down < 0.0, "the tongue goes down with the jaw");
}

#[test]
fn shapes_that_are_there_are_left_and_strengths_count() {
    let (target, plain, _) = warped();
    let wish = Wish {
        there: vec!["jaw_open".into(), "lid_close_left".into()],
        strengths: [("lips_round".to_string(), 0.5)].into(),
        ..Wish::default()
    };
    let (shaped, _) = run(target, &wish).expect("shapes");
    let shapes = &shaped.pieces[0].shapes;
    assert!(moves(shapes, "jaw_open").is_empty() && moves(shapes, "lid_close_left").is_empty());
    assert_eq!(moves(shapes, "corner_up_left"), moves(&plain.pieces[0].shapes, "corner_up_left"));
    let (half, full) = (moves(shapes, "lips_round"), moves(&plain.pieces[0].shapes, "lips_round"));
    let far = |m: &[(u32, DVec3)]| m.iter().map(|(_, m)| m.length()).fold(0.0, f64::max);
    assert!((far(half) / far(full) - 0.5).abs() < 1e-9);
}

#[test]
fn the_same_face_gives_the_same_shapes_whatever_its_scale_and_place() {
    let (target, plain, _) = warped();
    let (again, _) = run(target, &Wish::default()).expect("shapes");
    assert_eq!(again.pieces, plain.pieces);
    for scale in [1e-4, 3e3] {
        let moved = |p: DVec3| p * scale + DVec3::new(4.0, -2.0, 1.0) * scale;
        let mut pieces = target.pieces.clone();
        pieces.iter_mut().flat_map(|p| &mut p.mesh.points).for_each(|p| *p = moved(*p));
        let other = Target {
            pieces,
            marks: target.marks.moved(moved),
            truth: Vec::new(),
            outside: Vec::new(),
            mouth: target.mouth,
            eyes: target.eyes.map(|(middle, radius)| (moved(middle), radius * scale)),
        };
        let (shaped, _) = run(&other, &Wish::default()).expect("shapes");
        let full = |s: &Shaped, scale: f64| {
            let all = moves(&s.pieces[0].shapes, "lips_round");
            all.iter().map(|(_, m)| m.length()).fold(0.0, f64::max) / scale
        };
        let (a, b) = (full(plain, 1.0), full(&shaped, scale));
        assert!((a - b).abs() < 0.02 * a, "{a} {b}");
    }
}

/// glTF has y up and the face along +z; not every file keeps to it, and normals are flipped as often.
#[test]
fn a_face_that_stands_otherwise_or_is_turned_inside_out_is_found_all_the_same() {
    let (target, plain, _) = warped();
    let mean = |s: &Shaped| s.report.residual.mean;
    for turn in
        [glam::DMat3::from_rotation_x(90f64.to_radians()), glam::DMat3::from_rotation_y(180f64.to_radians())]
    {
        let mut pieces = target.pieces.clone();
        pieces.iter_mut().flat_map(|p| &mut p.mesh.points).for_each(|p| *p = turn * *p);
        let found = propose(&pieces).expect("landmarks");
        for (landmark, at) in found.there().filter(|(l, _)| !matches!(l, Landmark::Neck)) {
            let truth = turn * target.marks.get(landmark).expect("a landmark");
            assert!(at.distance(truth) < 0.5 * target.mouth, "{landmark:?}");
        }
        let other = Target { pieces, marks: found, truth: Vec::new(), outside: Vec::new(), ..*target };
        let (shaped, _) = run(&other, &Wish::default()).expect("shapes");
        assert!(mean(&shaped) < 2.0 * mean(plain) && shaped.report.seal.is_some_and(|s| s.full < 0.5));
    }
    let mut pieces = target.pieces.clone();
    pieces[0].mesh.triangles.iter_mut().for_each(|t| t.swap(0, 1));
    let other = Target { pieces, truth: Vec::new(), outside: Vec::new(), ..*target };
    let (shaped, _) = run(&other, &Wish::default()).expect("shapes");
    assert!(mean(&shaped) < 1.2 * mean(plain), "{} {}", mean(&shaped), mean(plain));
}

#[test]
fn what_cannot_be_used_is_said() {
    let (target, _, _) = warped();
    let with = |marks: Landmarks| {
        let other = Target {
            pieces: target.pieces.clone(),
            marks,
            truth: Vec::new(),
            outside: Vec::new(),
            ..*target
        };
        run(&other, &Wish::default()).map(|_| ()).expect_err("no shapes")
    };
    let m = target.marks;
    assert_eq!(with(Landmarks { nose: [f64::NAN; 3], ..m }), ShapeError::NoNumber(Landmark::Nose));
    assert_eq!(with(Landmarks { chin: [90.0, 0.0, 0.0], ..m }), ShapeError::OffTheFace(Landmark::Chin));
    assert_eq!(with(Landmarks { mouth_left: m.mouth_right, ..m }), ShapeError::OnePoint);
    let crossed = Landmarks {
        mouth_left: m.mouth_right,
        mouth_right: m.mouth_left,
        eye_left_inner: m.eye_right_inner,
        eye_right_inner: m.eye_left_inner,
        eye_left_outer: m.eye_right_outer,
        eye_right_outer: m.eye_left_outer,
        ..m
    };
    assert_eq!(with(crossed), ShapeError::LeftAndRight);
    let nothing = Target { pieces: Vec::new(), truth: Vec::new(), outside: Vec::new(), ..*target };
    assert_eq!(run(&nothing, &Wish::default()).map(|_| ()).expect_err("nothing"), ShapeError::Nothing);
    let pieces = vec![target.pieces[1].clone()];
    assert_eq!(propose(&pieces), Err(ShapeError::NoEyes));
    let stopped =
        transfer(shipped(), &target.pieces, None, &m, &Wish::default(), &Progress(&|done| done < 0.5));
    assert_eq!(stopped.map(|_| ()).expect_err("cancelled"), ShapeError::Cancelled);
    let open: Vec<Piece> = target.pieces[1..].to_vec();
    let other = transfer(shipped(), &target.pieces, Some(&open), &m, &Wish::default(), &Progress(&|_| true));
    assert_eq!(other.map(|_| ()).expect_err("another mesh"), ShapeError::OtherMesh);
}

#[test]
fn a_point_that_looks_wrong_is_named() {
    let (target, _, _) = warped();
    let mut marks = target.marks;
    let off = marks.get(Landmark::Chin).expect("a chin")
        + DVec3::new(0.0, -0.5 * target.mouth, -0.7 * target.mouth);
    marks.set(Landmark::Chin, off);
    let other =
        Target { pieces: target.pieces.clone(), marks, truth: Vec::new(), outside: Vec::new(), ..*target };
    let (shaped, _) = run(&other, &Wish::default()).expect("shapes");
    let named = shaped.report.warnings.iter().filter_map(|w| w.landmark).collect::<Vec<Landmark>>();
    assert!(
        named.contains(&Landmark::Chin) || named.contains(&Landmark::Neck),
        "{:?}",
        shaped.report.warnings
    );
}

#[test]
fn a_copy_with_an_open_mouth_tells_the_lips_apart() {
    let target = make(&Made::of(Bent::Warp));
    let open = &target.truth.iter().find(|(n, _)| n == "jaw_open").expect("the jaw").1;
    let mut pieces = target.pieces.clone();
    pieces[0].mesh.points.iter_mut().zip(open).for_each(|(p, d)| *p += 0.6 * *d);
    let done = transfer(
        shipped(),
        &target.pieces,
        Some(&pieces),
        &target.marks,
        &Wish::default(),
        &Progress(&|_| true),
    );
    let (_, worked) = done.expect("shapes");
    let follows = |k: usize| {
        let chain = worked.chains[k].as_ref().expect("an edge");
        let inner = &chain.points[3..chain.points.len() - 3];
        inner.iter().map(|i| open[worked.in_skin[*i as usize] as usize].length()).sum::<f64>()
            / inner.len() as f64
    };
    assert!(follows(1) > 4.0 * follows(0), "the lower edge goes with the jaw: {} {}", follows(1), follows(0));
}

#[test]
fn even_shapes_are_mirror_images() {
    // The template itself is even; landmarks put unevenly.
    let head = shipped();
    let mut marks = Landmarks::at_origin();
    for landmark in Landmark::ALL {
        marks.set(*landmark, head.mesh.points[head.landmark(*landmark) as usize]);
    }
    marks.mouth_left[0] += 0.02;
    marks.eye_right_outer[1] += 0.02;
    let piece = Piece { name: "head".into(), mesh: head.mesh.clone() };
    let wish = Wish { symmetric: true, ..Wish::default() };
    let (shaped, worked) =
        transfer(head, &[piece], None, &marks, &wish, &Progress(&|_| true)).expect("shapes");
    let seal = shaped.report.seal.as_ref().expect("edges of the lips");
    assert!(seal.full < 0.02 && seal.rest < 0.02, "{seal:?}");
    let lids = &shaped.report.lids;
    assert!(lids.len() == 2 && lids.iter().all(|l| l.gap < 0.1 && l.nearest > 0.98), "{lids:?}");
    let of = |name: &str| {
        let mut all = vec![DVec3::ZERO; head.mesh.points.len()];
        moves(&shaped.pieces[0].shapes, name).iter().for_each(|(i, m)| all[*i as usize] = *m);
        all
    };
    let (left, right) = (of("corner_up_left"), of("corner_up_right"));
    let turn = worked.similarity.turn;
    let mut seen = 0;
    for (i, p) in head.mesh.points.iter().enumerate().filter(|(i, _)| left[*i].length() > 0.02) {
        let image = DVec3::new(-p.x, p.y, p.z);
        let Some(mate) = head.mesh.points.iter().position(|q| q.distance(image) < 1e-6) else { continue };
        let (a, b) = (turn * left[i], turn * right[mate]);
        assert!(a.distance(DVec3::new(-b.x, b.y, b.z)) < 0.01, "{p}: {a} {b}");
        seen += 1;
    }
    assert!(seen > 200, "{seen}");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    /// Whatever the jaw, lips closed over it are shut: the gap between their edges is nothing, and it grows as they open.
    #[test]
    fn lips_seal_at_any_jaw(jaw in 0.0f64..1.0, shut in 0.0f64..1.0) {
        let (target, shaped, worked) = warped();
        let shapes = &shaped.pieces[0].shapes;
        let mut by = vec![DVec3::ZERO; target.outside.len()];
        for (name, weight) in [("jaw_open", jaw), ("lips_close", jaw * shut), ("lips_meet", 1.0)] {
            moves(shapes, name).iter().for_each(|(i, m)| by[*i as usize] += weight * *m);
        }
        let placed = |k: usize| -> Vec<DVec3> {
            let chain = worked.chains[k].as_ref().expect("an edge");
            let at = |i: &u32| {
                let i = worked.in_skin[*i as usize] as usize;
                target.pieces[0].mesh.points[i] + by[i]
            };
            chain.points.iter().map(at).collect()
        };
        let (upper, lower) = (placed(0), placed(1));
        let gap = upper.iter().map(|p| jam_shape::curve::distance(&lower, *p)).fold(0.0, f64::max) / target.mouth;
        let open = jaw * (1.0 - shut);
        prop_assert!(gap < 0.001 + 1.2 * open, "{gap} at {open}");
        prop_assert!(gap > 0.2 * open - 0.001, "{gap} at {open}");
    }
}
