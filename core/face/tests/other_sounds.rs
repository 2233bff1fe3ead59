//! Sounds that English lacks, on the face.

use jam_face::{Performance, perform};
use jam_score::{Control, Diction, FrameRate, Phone, Seconds, Sound, Span, Symbol, Timing};

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
