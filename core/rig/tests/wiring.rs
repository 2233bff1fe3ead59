//! Laws of wirings, responses, charts and bindings.
#![allow(clippy::unwrap_used)]

use jam_rig::binding::Surface;
use jam_rig::propose::{ShapeFacts, propose};
use jam_rig::{Chart, Drawing, Feed, Mix, MouthKind, Output, Response, Target, Wiring, WiringError};
use jam_score::{Control, FrameRate, Noise, Phone, Seconds, Sound, Span, Timing};
use proptest::prelude::*;

fn morph(name: &str, feeds: Vec<Feed>, low: f32, high: f32) -> Output {
    Output::new(Target::Morph { name: name.into() }, feeds, low, high)
}

fn face(set: &[(Control, f32)]) -> Vec<f32> {
    let mut face = vec![0.0; Control::ALL.len()];
    set.iter().for_each(|(c, v)| face[*c as usize] = *v);
    face
}

fn any_control() -> impl Strategy<Value = Control> {
    (0..Control::ALL.len()).prop_map(|i| Control::ALL[i])
}

fn any_response() -> impl Strategy<Value = Response> {
    prop_oneof![
        Just(Response::Straight),
        Just(Response::SlowStart),
        Just(Response::SlowEnd),
        Just(Response::SlowEnds),
        prop::collection::vec((0.05f32..1.0, -2.0f32..2.0), 2..6).prop_map(|steps| {
            let mut x = -1.0;
            let point = |(dx, y): (f32, f32)| {
                x += dx;
                [x, y]
            };
            Response::Points { points: steps.into_iter().map(point).collect() }
        }),
    ]
}

prop_compose! {
    fn any_feed()(control in any_control(), gain in -50.0f32..50.0, times in prop::option::of(any_control()),
        response in any_response(), stands_in in any::<bool>()) -> Feed {
        Feed { id: 0, control, gain, times, response, stands_in }
    }
}

prop_compose! {
    fn any_output()(feeds in prop::collection::vec(any_feed(), 0..5), a in -10.0f32..10.0, b in -10.0f32..10.0,
        offset in -3.0f32..3.0, parts in 0.0f32..2.0, strongest in any::<bool>()) -> Output {
        let mix = if strongest { Mix::Strongest } else { Mix::Sum };
        Output { mix, offset, parts, ..morph("x", feeds, a.min(b), a.max(b)) }
    }
}

fn any_face() -> impl Strategy<Value = Vec<f32>> {
    prop::collection::vec(0.0f32..1.0, Control::ALL.len()).prop_map(|shares| {
        let at = |(c, x): (&Control, f32)| c.range().0 + x * (c.range().1 - c.range().0);
        Control::ALL.iter().zip(shares).map(at).collect()
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]

    #[test]
    fn every_value_keeps_its_limits(outputs in prop::collection::vec(any_output(), 1..8), face in any_face()) {
        let own = |(i, o): (usize, Output)| Output { target: Target::Morph { name: format!("x{i}") }, ..o };
        let outputs = outputs.into_iter().enumerate().map(own).collect();
        let wiring = Wiring { outputs, ..Wiring::default() };
        prop_assert!(wiring.check().is_ok());
        for (output, value) in wiring.outputs.iter().zip(wiring.apply(&face)) {
            prop_assert!(value.is_finite() && (output.low..=output.high).contains(&value), "{value} of {output:?}");
        }
    }

    #[test]
    fn a_wiring_is_the_same_after_its_journey_through_a_file(outputs in prop::collection::vec(any_output(), 0..6)) {
        let wiring = Wiring { outputs, ..Wiring::default() };
        let text = serde_json::to_string(&wiring).unwrap();
        prop_assert_eq!(serde_json::from_str::<Wiring>(&text).unwrap(), wiring);
    }

    #[test]
    fn feeds_add_up_or_the_strongest_wins(gains in prop::collection::vec(-2.0f32..2.0, 1..5), x in 0.0f32..1.0) {
        let controls = [Control::BrowDownLeft, Control::BrowDownRight, Control::CheekPuff, Control::LidWideLeft];
        let feeds: Vec<Feed> = controls.iter().zip(&gains).map(|(c, g)| Feed::new(*c, *g)).collect();
        let face = face(&controls.map(|c| (c, x)));
        let sum: f32 = feeds.iter().map(|f| f.gain * x).sum();
        let output = morph("x", feeds.clone(), -100.0, 100.0);
        prop_assert!((output.value(&face) - sum).abs() < 1e-4);
        let strongest = Output { mix: Mix::Strongest, ..output }.value(&face);
        prop_assert!(feeds.iter().all(|f| (f.gain * x).abs() <= strongest.abs() + 1e-6));
        prop_assert!(feeds.iter().any(|f| (f.gain * x - strongest).abs() < 1e-6));
    }

    /// A drawn response goes through its points and never beyond its neighbours.
    #[test]
    fn a_drawn_response_does_not_overshoot(response in any_response(), x in -1.2f32..1.2) {
        let Response::Points { points } = &response else {
            prop_assert!(response.at(0.0) == 0.0 && (response.at(1.0) - 1.0).abs() < 1e-6);
            prop_assert!((response.at(-x.abs()) + response.at(x.abs())).abs() < 1e-6);
            return Ok(());
        };
        for p in points {
            prop_assert!((response.at(p[0]) - p[1]).abs() < 1e-4);
        }
        let y = response.at(x);
        let around = points.windows(2).find(|w| w[0][0] <= x && x <= w[1][0]);
        let (low, high) = around.map_or((-2.0, 2.0), |w| (w[0][1].min(w[1][1]), w[0][1].max(w[1][1])));
        prop_assert!(y >= low - 1e-4 && y <= high + 1e-4, "{y} outside {low}..{high}");
    }
}

/// Values of SciPy 1.17.1's `PchipInterpolator` in the inner parts, where its slopes are the same
/// (harmonic means of equal steps).
/// glTF 2.0, animations: no two channels of one animation have the same target.
#[test]
fn two_outputs_of_one_target_are_refused() {
    let (a, b) = (
        morph("jawOpen", vec![Feed::new(Control::JawOpen, 1.0)], 0.0, 1.0),
        morph("jawOpen", vec![], 0.0, 1.0),
    );
    let other = morph("mouthOpen", vec![], 0.0, 1.0);
    let check = |outputs| Wiring { outputs, ..Wiring::default() }.check();
    assert_eq!(check(vec![a.clone(), other]), Ok(()));
    assert!(matches!(check(vec![a, b]), Err(WiringError::Twice(name)) if name.contains("jawOpen")));
}

#[test]
fn a_drawn_response_agrees_with_a_reference_library() {
    let response =
        Response::Points { points: vec![[0.0, 0.0], [0.25, 0.1], [0.5, 0.6], [0.75, 0.7], [1.0, 1.0]] };
    for (x, wanted) in [(0.3, 0.168), (0.4, 0.416), (0.6, 0.644_8), (0.7, 0.675_733)] {
        assert!((response.at(x) - wanted).abs() < 1e-4, "{x}: {} for {wanted}", response.at(x));
    }
}

#[test]
fn a_product_is_full_only_when_both_are() {
    let feed = Feed { times: Some(Control::HeadYaw), ..Feed::new(Control::CornerUpLeft, 0.5) };
    let output = morph("fix", vec![feed], -1.0, 1.0);
    let at = |smile, yaw| output.value(&face(&[(Control::CornerUpLeft, smile), (Control::HeadYaw, yaw)]));
    assert_eq!((at(1.0, 0.0), at(0.0, 90.0)), (0.0, 0.0));
    assert!((at(1.0, 90.0) - 0.5).abs() < 1e-6 && (at(0.5, -45.0) + 0.125).abs() < 1e-6);
}

#[test]
fn one_handle_goes_wide_at_one_end_and_round_at_the_other() {
    let joint = jam_rig::propose::JointFacts {
        name: "mouth".into(),
        turn_axes: [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]],
        move_axes: [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]],
        length: 0.1,
        carries: true,
        above: Vec::new(),
    };
    let wiring = propose(&[], &[joint], None).wiring;
    let at = |set: &[(Control, f32)]| wiring.apply(&face(set))[0];
    let wide = at(&[(Control::LipsSpreadLeft, 1.0), (Control::LipsSpreadRight, 1.0)]);
    let round = at(&[(Control::LipsRound, 1.0)]);
    assert!(wide > 0.3 && round < -0.3, "{wide} {round}");
    assert!((at(&[]) - 0.0).abs() < 1e-6);
}

#[test]
fn a_face_without_a_closing_shape_shuts_its_jaw_for_a_seal() {
    let shapes = [ShapeFacts { name: "jaw_open".into(), half: None }];
    let wiring = propose(&shapes, &[], None).wiring;
    let jaw = |seal| wiring.apply(&face(&[(Control::JawOpen, 0.3), (Control::LipsClose, seal)]))[0];
    assert_eq!((jaw(0.0), jaw(1.0)), (0.3, 0.0));
}

#[test]
fn a_closing_shape_cancels_a_jaw_that_is_a_joint() {
    let closing = morph("shut", vec![Feed::new(Control::LipsClose, 1.0)], 0.0, 1.0);
    let target = Target::Rotation { node: "jaw".into(), axis: [1.0, 0.0, 0.0] };
    let jaw = Output::new(target, vec![Feed::new(Control::JawOpen, 20.0)], 0.0, 25.0);
    let mut wiring = Wiring { outputs: vec![jaw, closing], ..Wiring::default() };
    wiring.measure(|_| None);
    let wired = wiring.apply(&face(&[(Control::JawOpen, 0.5), (Control::LipsClose, 1.0)]));
    // As much as the jaw opens, and a little more: lips are pressed into each other.
    assert!((wired[0] - 10.0).abs() < 1e-5 && (0.5..0.56).contains(&wired[1]), "{wired:?}");
}

#[test]
fn a_wiring_that_cannot_be_is_refused_in_a_sentence() {
    let with = |change: fn(&mut Output)| {
        let mut output = morph("smile", vec![Feed::new(Control::CornerUpLeft, 1.0)], 0.0, 1.0);
        change(&mut output);
        Wiring { outputs: vec![output], ..Wiring::default() }.check()
    };
    assert_eq!(with(|_| ()), Ok(()));
    assert_eq!(with(|o| o.low = 2.0), Err(WiringError::Limits("smile".into())));
    assert_eq!(with(|o| o.feeds[0].gain = f32::NAN), Err(WiringError::Numbers("smile".into())));
    let falling = vec![[0.5, 0.0], [0.2, 1.0]];
    let drawn = Wiring {
        outputs: vec![morph(
            "x",
            vec![Feed { response: Response::Points { points: falling }, ..Feed::new(Control::JawOpen, 1.0) }],
            0.0,
            1.0,
        )],
        ..Wiring::default()
    };
    assert_eq!(drawn.check(), Err(WiringError::Response("x".into())));
    let still = Target::Scale { node: "mouth".into(), axis: [0.0; 3] };
    let still = Wiring { outputs: vec![Output::new(still, vec![], 0.0, 1.0)], ..Wiring::default() };
    assert_eq!(still.check(), Err(WiringError::Axis("mouth".into())));
}

fn chart(hold: usize) -> Chart {
    let kinds = [
        MouthKind::Rest,
        MouthKind::Closed,
        MouthKind::Open,
        MouthKind::Spread,
        MouthKind::RoundTight,
        MouthKind::LipToTeeth,
    ];
    let drawing = |k: &MouthKind| Drawing { name: k.name().into(), node: k.name().into(), image: None };
    Chart {
        drawings: kinds.iter().map(drawing).collect(),
        kinds: kinds.iter().enumerate().map(|(i, k)| (*k, i)).collect(),
        hold,
    }
}

fn timing(sounds: &[(Phone, f64)]) -> Timing {
    let mut at = 0.0;
    let sound = |&(phone, length): &(Phone, f64)| {
        let span = Span::new(at, at + length);
        at += length;
        Sound { stress: Some(1), level: -20.0, ..Sound::new(phone, span) }
    };
    Timing { sounds: sounds.iter().map(sound).collect(), ..Timing::default() }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    /// Common practice, no source: each drawing stays two frames at least, and no closure is dropped.
    #[test]
    fn drawings_hold_and_closures_are_never_dropped(
        sounds in prop::collection::vec((0..Phone::ALL.len(), 0.02f64..0.3), 1..60),
        hold in 1usize..5,
        rate in prop_oneof![Just((24, 1)), Just((12, 1)), Just((30000, 1001))],
    ) {
        let sounds: Vec<(Phone, f64)> = sounds.into_iter().map(|(p, d)| (Phone::ALL[p], d)).collect();
        let timing = timing(&sounds);
        let rate = FrameRate::new(rate.0, rate.1).unwrap();
        let frame = rate.frame_length().0;
        let frames = (timing.end().0 / frame).ceil() as usize + 6;
        let shown = chart(hold).stepped(&timing, Seconds::ZERO, rate, frames);
        prop_assert_eq!(shown.len(), frames);
        let mut from = 0;
        for f in 1..=frames {
            if f == frames || shown[f] != shown[from] {
                prop_assert!(f - from >= hold.min(frames), "{} frames of {} at {from}", f - from, shown[from]);
                from = f;
            }
        }
        for sound in timing.sounds.iter().filter(|s| matches!(s.phone, Phone::P | Phone::B | Phone::M)) {
            // Within the sound, or within the hold round it where it is shorter than that.
            let middle = 0.5 * (sound.span.start + sound.span.end).0 / frame;
            let near = |f: &usize| (*f as f64 + 0.5 - middle).abs() <= 0.5 * hold as f64 + 0.51;
            prop_assert!((0..frames).filter(near).any(|f| shown[f] == 1), "{} at {:?}", sound.phone, sound.span);
        }
    }
}

#[test]
fn a_plain_word_shows_its_mouths_in_order() {
    // "beam": closed, spread, closed.
    let said = timing(&[
        (Phone::Sil, 0.25),
        (Phone::B, 0.1),
        (Phone::Iy, 0.25),
        (Phone::M, 0.15),
        (Phone::Sil, 0.4),
    ]);
    let mut shown = chart(2).stepped(&said, Seconds::ZERO, FrameRate::FILM, 28);
    shown.dedup();
    assert_eq!(shown, [0, 1, 3, 1, 0]);
}

/// Source: laughs have four to five sounds a second (Bachorowski et al. 2001, from memory).
#[test]
fn a_laugh_shows_open_mouths_and_a_hum_a_closed_one() {
    let during = |text: &str| {
        let mut said = timing(&[(Phone::Sil, 2.0)]);
        said.noises = vec![Noise { text: text.into(), span: Span::new(0.5, 1.5) }];
        let shown = chart(2).stepped(&said, Seconds::ZERO, FrameRate::FILM, 48);
        assert!(shown[..11].iter().chain(&shown[37..]).all(|d| *d == 0), "{text}: {shown:?}");
        shown[13..35].to_vec()
    };
    let laugh = during("laughs");
    let closed = |d: &usize| *d == 0 || *d == 1;
    assert!(!laugh.iter().any(closed) && laugh.windows(2).filter(|w| w[0] != w[1]).count() >= 5, "{laugh:?}");
    assert!(during("hums").iter().all(|d| *d == 1));
    assert!(during("waits").iter().all(|d| *d == 0));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    /// The nearest of all triangles by trying every one, and the point found again from its place.
    #[test]
    fn a_point_is_bound_to_its_nearest_triangle(
        points in prop::collection::vec(prop::array::uniform3(-1.0f32..1.0), 12..60),
        p in prop::array::uniform3(-1.5f32..1.5),
    ) {
        let triangles: Vec<[u32; 3]> = (0..points.len() as u32 - 2).map(|i| [i, i + 1, i + 2]).collect();
        let surface = Surface::new(&points, &triangles).unwrap();
        let bind = surface.bind(p);
        let again = bind.place(|i| points[i as usize].into()).to_array();
        let far = |a: [f32; 3], b: [f32; 3]| (0..3).map(|k| (a[k] - b[k]).powi(2)).sum::<f32>().sqrt();
        prop_assert!(far(again, p) < 1e-3, "{again:?} for {p:?}");
        prop_assert!((bind.shares.iter().sum::<f32>() - 1.0).abs() < 1e-4 && bind.shares.iter().all(|s| *s >= -1e-4));
        let each = triangles.iter().map(|t| Surface::new(&points, &[*t]).unwrap().distance(p));
        let nearest = each.fold(f32::INFINITY, f32::min);
        prop_assert!((surface.distance(p) - nearest).abs() < 1e-4);
        // Steps over the triangle come no nearer.
        let [a, b, c] = bind.triangle.map(|i| points[i as usize]);
        for i in 0..=20 {
            for j in 0..=20 - i {
                let (u, v) = (i as f32 / 20.0, j as f32 / 20.0);
                let on = std::array::from_fn(|k| a[k] + u * (b[k] - a[k]) + v * (c[k] - a[k]));
                prop_assert!(far(on, p) >= surface.distance(p) - 1e-4);
            }
        }
    }
}

#[test]
fn a_bound_point_turns_and_moves_with_its_triangle() {
    let rest = [[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]];
    let bind = Surface::new(&rest, &[[0, 1, 2]]).unwrap().bind([0.25, 0.25, 0.1]);
    // A quarter turn about x and a move: what stood out of the plane lies along -y.
    let turned = [[0.0, 0.0, 5.0], [1.0, 0.0, 5.0], [0.0, 0.0, 6.0]];
    let at = bind.place(|i| turned[i as usize].into());
    let wanted = [0.25, -0.1, 5.25];
    assert!((0..3).all(|k| (at[k] - wanted[k]).abs() < 1e-6), "{at:?}");
}

/// In a glTF file a node that is shown and hidden is so by its size (the format has no switch), so nothing else may size
/// it; and one shape is driven once. Turned and moved a node may be by several outputs.
#[test]
fn what_would_take_the_place_of_another_output_is_refused() {
    let axis = [1.0, 0.0, 0.0];
    let node = || "eye".to_string();
    let (shown, sized) = (Target::Shown { node: node() }, Target::Scale { node: node(), axis });
    let turned = Target::Rotation { node: node(), axis };
    let of = |targets: [&Target; 2]| Wiring {
        outputs: targets.map(|t| Output::new(t.clone(), vec![], 0.0, 1.0)).into(),
        ..Wiring::default()
    };
    let morph = Target::Morph { name: "jaw".into() };
    for pair in [[&shown, &sized], [&sized, &shown], [&shown, &shown], [&morph, &morph]] {
        assert!(matches!(of(pair).check(), Err(WiringError::Twice(_))), "{pair:?}");
    }
    for pair in [[&shown, &turned], [&turned, &turned], [&sized, &sized], [&morph, &sized]] {
        assert_eq!(of(pair).check(), Ok(()), "{pair:?}");
    }
}
