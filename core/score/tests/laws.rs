//! Laws of time and of edits, held over random input.
#![allow(clippy::unwrap_used)]

use jam_score::*;
use proptest::prelude::*;

fn rates() -> impl Strategy<Value = FrameRate> {
    prop::sample::select(vec![(24, 1), (25, 1), (30, 1), (30000, 1001), (24000, 1001), (60, 1), (12, 1)])
        .prop_map(|(n, d)| FrameRate::new(n, d).unwrap())
}

fn listen(line: &Line, length: f64) -> Line {
    line.listening(Listen { only: Some(Span::new(0.5, 0.5 + length)), ..Listen::default() })
}

#[test]
fn another_stretch_or_channel_needs_new_times() {
    let timed = Line { timing: Some(Timing { text: "a".into(), ..Timing::default() }), ..Line::new("a") };
    assert!(timed.is_timed());
    let other = listen(&timed, 1.0);
    assert!(!other.is_timed());
    assert_eq!(listen(&timed, 0.01).check(), Err(EditError::Listen));
    let back = other.listening(Listen::default());
    assert_eq!(Line { shelf: Vec::new(), ..back }, timed, "times that were had are back");
}

proptest! {
    #[test]
    fn a_frames_own_time_is_that_frame(rate in rates(), first in -10_000i64..10_000, n in 0i64..200_000) {
        let grid = FrameGrid { rate, first: Frame(first) };
        let frame = Frame(first + n);
        prop_assert_eq!(grid.frame_at(grid.time_of(frame)), frame);
    }

    #[test]
    fn the_frames_of_a_clip_cover_its_sound_and_no_more(rate in rates(), length in 0.0f64..4000.0) {
        let grid = FrameGrid { rate, first: Frame(0) };
        let frames = grid.frames_covering(Seconds(length));
        let last = grid.time_of(Frame(frames - 1)).0;
        prop_assert!(last >= length - 1e-6);
        prop_assert!(last - rate.frame_length().0 < length || frames == 1);
    }

    #[test]
    fn every_edit_is_taken_back_by_its_inverse(old in "\\PC{0,40}", new in "\\PC{0,40}", who in prop::option::of("[a-z]{1,6}")) {
        let line = Line::new(old);
        let timed = Line { timing: Some(Timing::default()), ..line.clone() };
        let others = [
            Line { text: new, ..line.clone() },
            Line { character: who, ..line.clone() },
            timed.clone(),
            listen(&line, 0.2),
            Line { diction: diction::STYLES[3].1, ..line.clone() },
        ];
        for from in [&line, &timed] {
            for to in &others {
                let edit = Edit::between(from, to);
                let again: Edit = serde_json::from_str(&serde_json::to_string(&edit).unwrap()).unwrap();
                prop_assert_eq!(&again, &edit);
                prop_assert_eq!(&edit.apply(from).unwrap(), to);
                prop_assert_eq!(&edit.inverse().apply(to).unwrap(), from);
            }
        }
    }
}

/// Rows that differ in their middle are told apart by that alone, whatever is in them.
#[test]
fn a_small_change_is_a_small_edit() {
    let sound = |i: u32| {
        let start = f64::from(i) * 0.1;
        Sound { id: i + 1, ..Sound::new(Phone::Aa, Span::new(start, f64::from(i + 1) * 0.1)) }
    };
    let timing = Timing { sounds: (0..600).map(sound).collect(), ..Timing::default() };
    let line = Line { timing: Some(timing.clone()), ..Line::new("") };
    let nudge = Correction::MoveEdge { sound: 300, to: Seconds(29.93), alone: true };
    let moved = line.retimed(Some(timing.corrected(&nudge, &mut Ids::from(1000)).unwrap()));
    let edit = Edit::between(&line, &moved);
    let size = serde_json::to_string(&edit).unwrap().len();
    assert!(size < 1000, "{size} bytes");
    assert_eq!(edit.things().into_iter().collect::<Vec<_>>(), ["sound 299", "sound 300"]);
}

/// Source: SMPTE ST 12-1 and ST 428-11: rates of television are the whole ones times 1000/1001; written short they are
/// 23.976 or 23.98, 29.97, 47.95, 59.94, 119.88.
#[test]
fn rates_are_read_as_people_write_them() {
    let slowed = [
        ("23.976", 24),
        ("23.98", 24),
        ("29.97", 30),
        ("29,97", 30),
        ("47.952", 48),
        ("59.94", 60),
        ("119.88", 120),
    ];
    for (written, whole) in slowed {
        assert_eq!(written.parse(), Ok(FrameRate { num: whole * 1000, den: 1001 }), "{written}");
    }
    for whole in [12, 15, 24, 25, 30, 48, 50, 60, 120] {
        assert_eq!(whole.to_string().parse(), Ok(FrameRate { num: whole, den: 1 }));
    }
    assert_eq!("12.5".parse(), Ok(FrameRate { num: 25, den: 2 }));
    assert_eq!("23.9".parse(), Ok(FrameRate { num: 239, den: 10 }));
    for wrong in ["", "0.5", "240.5", "24.x", "1e9", "nan", "-24.0"] {
        assert!(wrong.parse::<FrameRate>().is_err(), "{wrong}");
    }
}

#[test]
fn a_line_has_its_own_first_frame_and_handles_around_the_same_sound() {
    let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };
    let plain = Shot::of(grid, Seconds(2.0), OwnFrames::default());
    let own = OwnFrames { first: Some(Frame(101)), before: 8, after: 12, loops: false };
    let moved = Shot::of(own.grid(grid), Seconds(2.0), own);
    assert_eq!((moved.first, moved.last_sound.0 - plain.last_sound.0), (Frame(93), -900));
    assert_eq!(moved.frames(), plain.frames() + 20);
}

#[test]
fn the_frame_rate_of_american_television_is_exact() {
    // SMPTE 170M: 30000/1001 frames a second, so an hour has 107 892 whole frames (108 000 less the
    // 108 numbers that drop-frame time code skips).
    let rate: FrameRate = "30000/1001".parse().unwrap();
    let grid = FrameGrid { rate, first: Frame(0) };
    assert_eq!(grid.frame_at(Seconds(3600.0)), Frame(107_892));
    assert!(
        "0".parse::<FrameRate>().is_err()
            && "24fps".parse::<FrameRate>().is_err()
            && "1/0".parse::<FrameRate>().is_err()
    );
}

#[test]
fn times_that_run_backwards_are_refused() {
    let sound = |a, b| Sound::new(Phone::Aa, Span::new(a, b));
    let timed = |sounds| Line::new("a").retimed(Some(Timing { sounds, ..Timing::default() })).check();
    assert!(timed(vec![sound(0.0, 1.0), sound(1.0, 2.0)].into()).is_ok());
    assert_eq!(timed(vec![sound(1.0, 0.5)].into()), Err(EditError::Timing(TimingError::Backwards(0))));
    assert_eq!(
        timed(vec![sound(0.0, 1.0), sound(1.5, 2.0)].into()),
        Err(EditError::Timing(TimingError::Gap(1)))
    );
    assert!(timed(vec![sound(f64::NAN, 1.0)].into()).is_err());
}

#[test]
fn every_phone_is_found_by_its_own_name() {
    assert_eq!(Phone::ALL.len(), 40);
    for &phone in Phone::ALL {
        assert_eq!(Phone::from_name(phone.name()), Some(phone));
    }
}
