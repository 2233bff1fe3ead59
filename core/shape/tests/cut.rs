//! Lips and lids of one surface cut apart: the surface stays whole, whatever the face, and what is made of it is what was known.
//!
//! The truth is that of `known.rs`: the head the shapes come from, with its lips sewn shut before, or its eyes sewn
//! into their lids.

mod targets;

use glam::DVec3;
use jam_shape::curve::distance;
use jam_shape::head::joined;
use jam_shape::mesh::Mesh;
use jam_shape::template::Edge;
use jam_shape::template::shipped;
use jam_shape::{Cut, Cuts, Jaw, Piece, Progress, Report, ShapeError, Side, Wish, cut_open, transfer};
use proptest::prelude::*;
use targets::{Bent, Made, Target, cut, errors, lids_edge, make, whole};

const LIPS: Cuts = Cuts { lips: true, lids: false };
const LIDS: Cuts = Cuts { lips: false, lids: true };

/// What is cut, and the pieces then.
fn opened(target: &Target, cuts: Cuts) -> (Cut, Vec<Piece>) {
    let opened = cut_open(shipped(), &target.pieces, &target.marks, cuts, &Progress(&|_| true));
    let opened = opened.expect("an opening");
    let pieces = cut(&target.pieces, &opened);
    (opened, pieces)
}

/// Where a point is on the ball of an eye.
fn foot(p: DVec3, (middle, radius): (DVec3, f64)) -> DVec3 {
    middle + radius * (p - middle).normalize()
}

fn area(mesh: &Mesh) -> f64 {
    mesh.faces().map(DVec3::length).sum()
}

/// Three faces, with how far their shapes may be off on average.
fn faces() -> [(Made, f64); 3] {
    [
        (Made::of(Bent::Warp), 1.5),
        (Made::of(Bent::Muzzle), 2.6),
        (Made { points: Some(1325), ..Made::of(Bent::Warp) }, 2.2),
    ]
}

/// What comes of a face that is cut; its shapes must be those that are known.
fn carried(made: Made, cuts: Cuts, mean: f64) -> Report {
    let target = make(&made);
    let (opened, pieces) = opened(&target, cuts);
    let wish = Wish { jaw: Jaw::Carried, edges: opened.edges, ..Wish::default() };
    let (shaped, _) =
        transfer(shipped(), &pieces, None, &target.marks, &wish, &Progress(&|_| true)).expect("shapes");
    let off = whole(&errors(&target, &shaped.pieces[0].shapes));
    assert!(off.mean < mean, "{made:?}: {off:?}");
    shaped.report
}

#[test]
fn lips_that_were_sewn_shut_get_the_shapes_they_had() {
    for (made, mean) in faces() {
        let seal = carried(Made { shut: true, ..made }, LIPS, mean).seal.expect("edges of the lips");
        assert!(seal.as_found < 0.01 && seal.full < 0.5, "{made:?}: {seal:?}");
        assert!(seal.jaw_alone > 20.0, "the mouth opens: {seal:?}");
    }
}

#[test]
fn eyes_that_were_sewn_into_their_lids_get_the_shapes_they_had() {
    for (made, mean) in faces() {
        let report = carried(Made { eyes_sewn: true, ..made }, LIDS, mean);
        assert!(report.eyes_found && report.parts.iter().filter(|p| p.role == "eye").count() == 2);
        assert!(report.lids.len() == 2 && report.lids.iter().all(|l| l.gap < 0.1), "{:?}", report.lids);
    }
}

/// The edge that is cut is the one the eyes were sewn in along, but for what the mesh between cannot show.
#[test]
fn the_seam_of_an_eye_is_found_where_it_is() {
    let target = make(&Made { eyes_sewn: true, off: 0.0, ..Made::of(Bent::Warp) });
    let (opened, pieces) = opened(&target, LIDS);
    for (side, eye) in Side::BOTH.into_iter().zip(target.eyes) {
        let [outer, inner] = side.corners().map(|l| target.marks.get(l).expect("a corner"));
        let edge = lids_edge(shipped(), side);
        let mut edge: Vec<DVec3> =
            edge.iter().map(|i| foot(Bent::Warp.map(shipped().mesh.points[*i as usize]), eye)).collect();
        edge.push(edge[0]);
        let first = Edge::LidUpper(side).number();
        let lines = opened.edges[first..first + 2].iter().flatten().flatten();
        let off: Vec<f64> = lines
            .map(|(piece, point)| pieces[*piece as usize].mesh.points[*point as usize])
            .map(|p| distance(&edge, foot(p, eye)) / outer.distance(inner))
            .collect();
        let mean = off.iter().sum::<f64>() / off.len() as f64;
        let most = off.iter().copied().fold(0.0, f64::max);
        println!("{side:?}: {mean:.3} of the eye's width off, {most:.3} at most");
        assert!(mean < 0.04 && most < 0.15);
    }
}

#[test]
fn what_cannot_be_cut_is_refused() {
    let run = |made: &Made, at: DVec3| {
        let target = make(made);
        let mut marks = target.marks;
        for landmark in [jam_shape::Landmark::LipUpper, jam_shape::Landmark::LipLower] {
            marks.set(landmark, marks.get(landmark).expect("a point") + at * target.mouth);
        }
        cut_open(shipped(), &target.pieces, &marks, LIPS, &Progress(&|_| true)).map(|_| ())
    };
    let warp = Made::of(Bent::Warp);
    assert_eq!(run(&warp, DVec3::ZERO), Err(ShapeError::LipsPart));
    assert_eq!(run(&Made { shut: true, ..warp }, DVec3::Z * 0.6), Err(ShapeError::NoSeam));
    let open = make(&warp);
    let lids = |marks| cut_open(shipped(), &open.pieces, marks, LIDS, &Progress(&|_| true)).map(|_| ());
    assert_eq!(lids(&open.marks), Err(ShapeError::LidsPart));
    // Where the points of an eye lie on a cheek's edge there is no opening to cut.
    let sewn = make(&Made { eyes_sewn: true, ..warp });
    let mut marks = sewn.marks;
    for landmark in Side::Left.corners() {
        marks.set(landmark, marks.get(landmark).expect("a point") + DVec3::Z * 1.2 * sewn.mouth);
    }
    let refused = cut_open(shipped(), &sewn.pieces, &marks, LIDS, &Progress(&|_| true));
    assert_eq!(refused.map(|_| ()), Err(ShapeError::NoEye(Side::Left)));
    let stopped = cut_open(
        shipped(),
        &make(&Made { shut: true, ..warp }).pieces,
        &make(&warp).marks,
        LIPS,
        &Progress(&|done| done < 0.3),
    );
    assert_eq!(stopped, Err(ShapeError::Cancelled));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(8))]

    /// The skin keeps its area and gets no hole; both edges lie on each other and part at all their points but the corners.
    #[test]
    fn a_cut_leaves_no_hole(
        bent in prop::sample::select(vec![Bent::Warp, Bent::Long, Bent::Round, Bent::Muzzle]),
        points in prop::sample::select(vec![None, Some(1300), Some(2500)]),
        off in 0.0..0.02f64,
    ) {
        let target = make(&Made { shut: true, points, off, ..Made::of(bent) });
        let (opened, pieces) = opened(&target, LIPS);
        let skin = &opened.pieces[0];
        let of = |triangles: Vec<[u32; 3]>| Mesh { points: pieces[0].mesh.points.clone(), triangles };
        let before = area(&of(skin.replaced.keys().copied().collect()));
        let after = area(&of(skin.replaced.values().flatten().copied().collect()));
        prop_assert!((before - after).abs() < 1e-9 * before, "{} {}", before, after);
        let holes = |pieces: &[Piece]| {
            joined(pieces, Some(&target.marks)).0.edges().iter().filter(|(_, n)| *n == 1).count()
        };
        prop_assert_eq!(holes(&target.pieces), holes(&pieces));
        let [Some(upper), Some(lower), ..] = &opened.edges else { panic!("no edges") };
        prop_assert_eq!(upper.len(), lower.len());
        let at = |of: &(u32, u32)| pieces[of.0 as usize].mesh.points[of.1 as usize];
        for (k, (a, b)) in upper.iter().zip(lower).enumerate() {
            prop_assert!(at(a).distance(at(b)) < 1e-12);
            prop_assert_eq!(a == b, k == 0 || k + 1 == upper.len());
        }
    }

    /// The skin keeps its area, eyes come off as islands whose rims lie behind the lids, and no edge has three sides.
    #[test]
    fn an_eye_is_cut_out_whole(
        bent in prop::sample::select(vec![Bent::Warp, Bent::Long, Bent::Round, Bent::Muzzle]),
        points in prop::sample::select(vec![None, Some(1300), Some(2500)]),
        off in 0.0..0.02f64,
    ) {
        eye_is_whole(&make(&Made { eyes_sewn: true, points, off, ..Made::of(bent) }))?;
    }
}

fn eye_is_whole(target: &Target) -> Result<(), TestCaseError> {
    let (opened, pieces) = opened(target, LIDS);
    let [before, after] = [&target.pieces, &pieces].map(|p| joined(p, Some(&target.marks)).0);
    prop_assert_eq!(after.pieces().len(), before.pieces().len() + 2);
    let open = |mesh: &Mesh| mesh.edges().iter().filter(|(_, n)| *n == 1).count();
    let most = |mesh: &Mesh| mesh.edges().iter().map(|(_, n)| *n).max();
    // Both the lids' skin and the eye end somewhere behind, once round.
    let round: usize = opened.edges.iter().flatten().map(|edge| edge.len() - 1).sum();
    prop_assert_eq!(open(&after), open(&before) + 2 * round);
    prop_assert_eq!(most(&after), most(&before));
    Ok(())
}

/// Two neighbours of the edge that lie behind each other, seen from the eye's middle, ended in one place.
#[test]
fn an_edge_that_goes_straight_back_is_cut_too() {
    let off = 0.001_227_062_766_220_844;
    eye_is_whole(&make(&Made { eyes_sewn: true, off, ..Made::of(Bent::Muzzle) })).unwrap();
}
