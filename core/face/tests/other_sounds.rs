//! Sounds that English lacks, and those that are no words, on the face.
#![allow(clippy::unwrap_used)]

use jam_face::{Performance, perform, perform_line};
use jam_score::{
    Control, Diction, FrameRate, Line, Noise, Phone, Prosody, Reach, ReachOf, Seconds, Sound, Span, Symbol,
    Timing,
};

/// A sound between two others, each a sixth of a second, and what the face does in its middle.
fn between(beside: Phone, phone: Phone, symbol: Option<Symbol>) -> (Performance, Seconds) {
    let mut timing = Timing::default();
    for (i, (phone, symbol)) in
        [(Phone::Sil, None), (beside, None), (phone, symbol), (beside, None)].into_iter().enumerate()
    {
        let span = Span::new(i as f64 / 6.0, (i + 1) as f64 / 6.0);
        let stress = phone.is_vowel().then_some(1);
        timing.sounds.push(Sound { symbol, stress, level: -20.0, ..Sound::new(phone, span) });
    }
    let face = perform(&timing, &Diction::default(), FrameRate::FILM, Seconds(0.3));
    (face, timing.sounds[2].span.middle())
}

fn vowel(phone: Phone, symbol: Option<Symbol>) -> impl Fn(Control) -> f64 {
    let (face, middle) = between(Phone::T, phone, symbol);
    move |c| f64::from(face.value(c, middle))
}

/// How far two rows agree in order (Spearman).
fn agree(a: &[f64], b: &[f64]) -> f64 {
    let ranks = |v: &[f64]| -> Vec<f64> {
        let below = |x: f64| v.iter().filter(|y| **y < x).count() as f64;
        let same = |x: f64| v.iter().filter(|y| (**y - x).abs() < 1e-9).count() as f64;
        v.iter().map(|x| below(*x) + 0.5 * (same(*x) - 1.0)).collect()
    };
    let (a, b) = (ranks(a), ranks(b));
    let middle = 0.5 * (a.len() as f64 - 1.0);
    let product =
        |p: &[f64], q: &[f64]| p.iter().zip(q).map(|(x, y)| (x - middle) * (y - middle)).sum::<f64>();
    product(&a, &b) / (product(&a, &a) * product(&b, &b)).sqrt()
}

/// Source: an articulatory model's targets fitted to one speaker of German (protrusion and lip distance, cm), as the design
/// has them. One speaker: the order is held to, not the amounts.
#[test]
fn rounded_vowels_are_as_far_out_and_as_narrow_as_a_speaker_s() {
    let table = [
        (Phone::Uw, Some(Symbol::FrontU), 0.80, 0.26),
        (Phone::Uh, Some(Symbol::FrontUShort), 0.82, 0.60),
        (Phone::Uh, Some(Symbol::FrontO), 0.87, 0.38),
        (Phone::Ao, Some(Symbol::FrontOOpen), 0.35, 0.52),
        (Phone::Uw, None, 1.00, 0.34),
        (Phone::Ao, Some(Symbol::PureO), 0.69, 0.26),
        (Phone::Ao, None, 0.42, 0.52),
        (Phone::Iy, None, 0.08, 0.93),
        (Phone::Aa, Some(Symbol::FrontA), 0.07, 0.99),
    ];
    let (mut out, mut apart) = (Vec::new(), Vec::new());
    for (phone, symbol, _, _) in table {
        let of = vowel(phone, symbol);
        out.push(0.5 * (of(Control::LipsProtrude) + of(Control::LipsRound)));
        // What of the opening a straight view sees: rounding narrows it, too.
        let open = 0.366 * of(Control::JawOpen)
            + 0.25 * of(Control::LipUpperRaiseLeft)
            + 0.28 * of(Control::LipLowerDropLeft)
            + 0.1 * of(Control::LipsSpreadLeft);
        apart.push((1.0 - of(Control::LipsClose)) * open);
    }
    let theirs = |k: usize| -> Vec<f64> { table.iter().map(|t| [t.2, t.3][k]).collect() };
    println!("{:.2} {:.2}", agree(&out, &theirs(0)), agree(&apart, &theirs(1)));
    assert!(agree(&out, &theirs(0)) > 0.6, "{out:?}");
    assert!(agree(&apart, &theirs(1)) > 0.6, "{apart:?}");
}

/// Source: IPA chart (place of articulation): what is made behind the lips leaves them to its neighbours, what is made with
/// both lips or with lip and teeth alone does not touch as English closures and F do.
#[test]
fn consonants_move_what_they_are_made_with() {
    let at = |phone, symbol| {
        let (face, middle) = between(Phone::Aa, phone, symbol);
        move |c| face.value(c, middle)
    };
    let english = at(Phone::R, None);
    assert!(english(Control::LipsRound) > 0.15);
    for (phone, symbol) in [
        (Phone::R, Symbol::Uvular),
        (Phone::R, Symbol::Trill),
        (Phone::D, Symbol::Tap),
        (Phone::Hh, Symbol::Velar),
    ] {
        let of = at(phone, Some(symbol));
        assert!(of(Control::LipsRound) < 0.05 && of(Control::LipsProtrude) < 0.05, "{symbol:?}");
    }
    assert!(at(Phone::R, Some(Symbol::Trill))(Control::TongueTipUp) > 0.6);
    assert!(at(Phone::R, Some(Symbol::Uvular))(Control::TongueBackUp) > 0.4);
    assert!(
        at(Phone::Sh, Some(Symbol::PalatalSh))(Control::LipsRound)
            < 0.5 * at(Phone::Sh, None)(Control::LipsRound)
    );
    let (f, lips, near) =
        (at(Phone::V, None), at(Phone::V, Some(Symbol::LipsVoiced)), at(Phone::V, Some(Symbol::LipTeeth)));
    assert!(f(Control::LipLowerTuck) > 0.9 && lips(Control::LipLowerTuck) < 0.1);
    assert!((0.35..0.95).contains(&lips(Control::LipsClose)), "{}", lips(Control::LipsClose));
    assert!((0.3..0.85).contains(&near(Control::LipLowerTuck)), "{}", near(Control::LipLowerTuck));
}

/// A word, a pause with something in it, and a word.
fn heard(text: &str, length: f64, reach: f64) -> Performance {
    let mut timing = Timing::default();
    let mut at = 0.0;
    for (phone, long) in
        [(Phone::Aa, 0.15), (Phone::M, 0.1), (Phone::Sil, length + 0.4), (Phone::M, 0.1), (Phone::Aa, 0.15)]
    {
        let stress = phone.is_vowel().then_some(1);
        let id = timing.sounds.len() as u32 + 1;
        timing.sounds.push(Sound { id, stress, level: -20.0, ..Sound::new(phone, Span::new(at, at + long)) });
        at += long;
    }
    timing.noises.push(Noise { text: text.into(), span: Span::new(0.45, 0.45 + length) });
    let reach = vec![Reach { of: ReachOf::Sound(3), amount: reach as f32, aside: None }];
    let line = Line { timing: Some(timing), reach, ..Line::new("") };
    perform_line(&line, &Prosody::default(), FrameRate::FILM, Seconds(0.3)).unwrap()
}

/// Values of a control over the noise.
fn over(face: &Performance, control: Control, length: f64) -> Vec<f32> {
    (0..=(length * 100.0) as usize).map(|k| face.value(control, Seconds(0.45 + k as f64 / 100.0))).collect()
}

fn most(values: &[f32]) -> f32 {
    values.iter().copied().fold(0.0, f32::max)
}

/// Source: laughs have four to five sounds a second (Bachorowski et al. 2001, Rothgänger et al. 1998; from memory); crying
/// stretches the lips (action unit 20 of the facial action coding system; from memory).
#[test]
fn a_laugh_shakes_a_breath_opens_the_lips_a_sob_pulls_the_corners_and_a_hum_is_closed() {
    let laugh = heard("laughs", 1.2, 1.0);
    let jaw = over(&laugh, Control::JawOpen, 1.2);
    let peaks =
        (1..jaw.len() - 1).filter(|i| jaw[*i] > jaw[i - 1] && jaw[*i] >= jaw[i + 1] && jaw[*i] > 0.2).count();
    assert!((4..=7).contains(&peaks), "{peaks} of {jaw:?}");
    let middle = &jaw[20..100];
    assert!(most(middle) - middle.iter().copied().fold(1.0, f32::min) > 0.15, "{jaw:?}");
    assert!(most(&over(&laugh, Control::LipsClose, 1.2)[20..100]) < 0.1);
    let silent = heard("waits", 1.2, 1.0);
    assert!(most(&over(&silent, Control::JawOpen, 1.2)) < 0.2, "what is not heard moves nothing");

    let breath = heard("breath", 0.6, 1.0);
    let jaw = over(&breath, Control::JawOpen, 0.6);
    assert!(jaw[30] > 0.1 && jaw[30] < 0.25 && over(&breath, Control::LipsClose, 0.6)[30] < 0.1, "{jaw:?}");
    let sob = heard("sobs", 1.2, 1.0);
    assert!(over(&sob, Control::LipsSpreadLeft, 1.2)[60] > 0.35);
    assert!(over(&heard("hums", 0.8, 1.0), Control::LipsClose, 0.8)[40] > 0.95);
    assert!(over(&heard("yawns", 1.5, 1.0), Control::JawOpen, 1.5)[75] > 0.8);
    // Eyes, brows, cheeks and head take part.
    let middle = |face: &Performance, control: Control| over(face, control, 1.2)[60];
    assert!(middle(&laugh, Control::CheekRaiseLeft) > 0.5 && middle(&laugh, Control::LidSquintRight) > 0.4);
    assert!(middle(&sob, Control::BrowInnerUpLeft) > 0.5 && middle(&sob, Control::BrowInnerUpRight) > 0.5);
    let turned = |face: &Performance| {
        let with = over(face, Control::HeadPitch, 1.2);
        let against = over(&silent, Control::HeadPitch, 1.2);
        with[20..100].iter().zip(&against[20..100]).map(|(a, b)| a - b).collect::<Vec<f32>>()
    };
    assert!(turned(&laugh).iter().all(|by| *by < -1.5), "back: {:?}", turned(&laugh));
    assert!(turned(&sob).iter().all(|by| *by > 1.0), "down: {:?}", turned(&sob));
    // As far as somebody wants.
    let less = heard("laughs", 1.2, 0.4);
    assert!(most(&over(&less, Control::JawOpen, 1.2)) < 0.6 * most(&over(&laugh, Control::JawOpen, 1.2)));
    assert!(middle(&less, Control::CheekRaiseLeft) < 0.5 * middle(&laugh, Control::CheekRaiseLeft));
}
