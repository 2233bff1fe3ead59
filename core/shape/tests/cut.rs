//! Lips of one surface cut apart: the surface stays whole, whatever the face, and what is made of it is what was known.
//!
//! The truth is that of `known.rs`: the head the shapes come from, with its lips sewn shut before.

mod targets;

use glam::DVec3;
use jam_shape::head::joined;
use jam_shape::mesh::Mesh;
use jam_shape::template::shipped;
use jam_shape::{Jaw, Progress, ShapeError, Wish, cut_open, transfer};
use proptest::prelude::*;
use targets::{Bent, Made, cut, errors, make, whole};

fn area(mesh: &Mesh) -> f64 {
    mesh.faces().map(DVec3::length).sum()
}

#[test]
fn lips_that_were_sewn_shut_get_the_shapes_they_had() {
    for (made, mean) in [
        (Made::of(Bent::Warp), 1.5),
        (Made::of(Bent::Muzzle), 2.6),
        (Made { points: Some(1325), ..Made::of(Bent::Warp) }, 2.2),
    ] {
        let target = make(&Made { shut: true, ..made });
        let opened =
            cut_open(shipped(), &target.pieces, &target.marks, &Progress(&|_| true)).expect("a mouth");
        let pieces = cut(&target.pieces, &opened);
        let wish = Wish { jaw: Jaw::Carried, lips: Some(opened.edges), ..Wish::default() };
        let (shaped, _) =
            transfer(shipped(), &pieces, None, &target.marks, &wish, &Progress(&|_| true)).expect("shapes");
        let off = whole(&errors(&target, &shaped.pieces[0].shapes));
        assert!(off.mean < mean, "{made:?}: {off:?}");
        let seal = shaped.report.seal.expect("edges of the lips");
        assert!(seal.as_found < 0.01 && seal.full < 0.5, "{made:?}: {seal:?}");
        assert!(seal.jaw_alone > 20.0, "the mouth opens: {seal:?}");
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
        cut_open(shipped(), &target.pieces, &marks, &Progress(&|_| true)).map(|_| ())
    };
    let warp = Made::of(Bent::Warp);
    assert_eq!(run(&warp, DVec3::ZERO), Err(ShapeError::LipsPart));
    assert_eq!(run(&Made { shut: true, ..warp }, DVec3::Z * 0.6), Err(ShapeError::NoSeam));
    let stopped = cut_open(
        shipped(),
        &make(&Made { shut: true, ..warp }).pieces,
        &make(&warp).marks,
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
        let opened = cut_open(shipped(), &target.pieces, &target.marks, &Progress(&|_| true));
        let opened = opened.expect("a mouth");
        let pieces = cut(&target.pieces, &opened);
        let skin = &opened.pieces[0];
        let of = |triangles: Vec<[u32; 3]>| Mesh { points: pieces[0].mesh.points.clone(), triangles };
        let before = area(&of(skin.replaced.keys().copied().collect()));
        let after = area(&of(skin.replaced.values().flatten().copied().collect()));
        prop_assert!((before - after).abs() < 1e-9 * before, "{} {}", before, after);
        let holes = |pieces: &[jam_shape::Piece]| {
            joined(pieces, Some(&target.marks)).0.edges().iter().filter(|(_, n)| *n == 1).count()
        };
        prop_assert_eq!(holes(&target.pieces), holes(&pieces));
        let [upper, lower] = &opened.edges;
        prop_assert_eq!(upper.len(), lower.len());
        let at = |of: &(u32, u32)| pieces[of.0 as usize].mesh.points[of.1 as usize];
        for (k, (a, b)) in upper.iter().zip(lower).enumerate() {
            prop_assert!(at(a).distance(at(b)) < 1e-12);
            prop_assert_eq!(a == b, k == 0 || k + 1 == upper.len());
        }
    }
}
