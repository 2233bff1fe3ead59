//! Whether lips, teeth and tongue do what a sound is seen by: read off the mesh as it is wired and shown, on the frames it
//! is shown at. Where a face has no lips that touch, or no teeth or tongue of their own, the controls are read as its
//! wiring passes them on; of whole mouths, which one stands.

use super::limits::{
    HISS_JAW, LIP_BEFORE_TEETH, LIP_TO_TEETH, SEAL, SEAL_GAP, TEETH_APART, TONGUE, TONGUE_OUT, TONGUE_TIP,
    TUCK, TUCK_PROTRUDED, TUCK_ROUND,
};
use super::rule::{Finding, Looked, Rule, finding};
use jam_rig::{MouthKind, MouthSeen};
use jam_score::diction::Drive;
use jam_score::{Control, LayerKind, Phone, Seconds, Sound, Span};

/// What one frame shows: how near it comes to what is wanted.
struct Shown {
    holds: bool,
    /// In words, should it be the best there is.
    says: String,
}

/// A sound's rule, the controls that make it, and how a frame is read.
struct Wanted {
    rule: Rule,
    controls: &'static [Control],
    kind: MouthKind,
    read: fn(&[f32], Option<&MouthSeen>) -> Shown,
}

fn wanted(sound: &Sound) -> Option<Wanted> {
    use Control as C;
    let (rule, controls, read): (_, &[Control], fn(&[f32], Option<&MouthSeen>) -> Shown) = match sound.phone {
        // Lips alone, or lip and teeth that do not touch.
        Phone::F | Phone::V if sound.symbol.is_some() => return None,
        Phone::P | Phone::B | Phone::M => (Rule::OpenSeal, &[C::LipsClose], seal),
        Phone::F | Phone::V => (Rule::MissingTeeth, &[C::LipLowerTuck, C::LipsRound, C::LipsProtrude], tuck),
        Phone::Th | Phone::Dh => (Rule::TongueHidden, &[C::TongueOut], tongue_out),
        Phone::L => (Rule::TongueHidden, &[C::TongueTipUp], tongue_up),
        Phone::S | Phone::Z => (Rule::TeethApart, &[C::JawOpen], hiss),
        _ => return None,
    };
    Some(Wanted { rule, controls, kind: MouthKind::of(sound), read })
}

fn percent(share: f32) -> String {
    format!("{:.0} %", 100.0 * share)
}

fn seal(face: &[f32], seen: Option<&MouthSeen>) -> Shown {
    match seen {
        Some(seen) => Shown {
            holds: f64::from(seen.lips) <= SEAL_GAP,
            says: format!("the lips stay {} of the mouth’s width apart", percent(seen.lips)),
        },
        None => {
            let value = face[Control::LipsClose as usize];
            Shown {
                holds: f64::from(value) >= SEAL,
                says: format!("lips close to {} at most", percent(value)),
            }
        }
    }
}

fn tuck(face: &[f32], seen: Option<&MouthSeen>) -> Shown {
    let measured = seen.and_then(|s| s.lip_to_teeth.zip(s.lip_before_teeth));
    if let Some((below, before)) = measured {
        let reaches = f64::from(below) <= LIP_TO_TEETH;
        let says = if reaches {
            "the lips are so round that the lower one does not reach the teeth".into()
        } else {
            format!("the lower lip stays {} of the mouth’s width under the teeth", percent(below.max(0.0)))
        };
        return Shown { holds: reaches && f64::from(before) <= LIP_BEFORE_TEETH, says };
    }
    let value = |c: Control| f64::from(face[c as usize]);
    let tucked = value(Control::LipLowerTuck);
    let round = value(Control::LipsRound) > TUCK_ROUND || value(Control::LipsProtrude) > TUCK_PROTRUDED;
    let says = if tucked >= TUCK {
        "the lips are so round that the lower one does not reach the teeth".into()
    } else {
        format!("the lip comes to the teeth to {} at most", percent(tucked as f32))
    };
    Shown { holds: tucked >= TUCK && !round, says }
}

fn tongue(face: &[f32], control: Control, holds: Option<bool>) -> Shown {
    let value = face[control as usize];
    let holds = holds.unwrap_or(f64::from(value) >= TONGUE);
    let says = format!("the tongue comes to {} at most", percent(value.max(0.0)));
    Shown { holds, says }
}

fn tongue_out(face: &[f32], seen: Option<&MouthSeen>) -> Shown {
    let measured = seen.and_then(|s| s.tongue_out).map(|out| f64::from(out) >= TONGUE_OUT);
    tongue(face, Control::TongueOut, measured)
}

fn tongue_up(face: &[f32], seen: Option<&MouthSeen>) -> Shown {
    let measured = seen.and_then(|s| s.tongue_to_teeth).map(|up| f64::from(up.abs()) <= TONGUE_TIP);
    tongue(face, Control::TongueTipUp, measured)
}

fn hiss(face: &[f32], seen: Option<&MouthSeen>) -> Shown {
    match seen.and_then(|s| s.teeth) {
        Some(apart) => Shown {
            holds: f64::from(apart) <= TEETH_APART,
            says: format!("the teeth stay {} of the mouth’s width apart", percent(apart)),
        },
        None => {
            let jaw = face[Control::JawOpen as usize];
            Shown { holds: f64::from(jaw) <= HISS_JAW, says: format!("the jaw stays {} open", percent(jaw)) }
        }
    }
}

/// Every P, B, M, F, V, TH, L, S and Z, by hand and automatic alike.
pub(super) fn shown(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    if looked.line.diction.drive == Drive::Loudness {
        return;
    }
    let lead = looked.line.diction.lead;
    let frame = looked.rate.frame_length();
    let chart = looked.wiring.chart.as_ref();
    let frames = (looked.timing.end().0 / frame.0) as usize + 2;
    let drawings = chart.map(|c| c.stepped(looked.timing, lead, looked.rate, frames)).unwrap_or_default();
    for (i, sound) in looked.timing.sounds.iter().enumerate() {
        let Some(wanted) = wanted(sound) else { continue };
        // A touch of a frame's length beside it counts: it shows on the frame that is nearest.
        let times: Vec<Seconds> =
            looked.frames((sound.span.start - lead - frame).0, (sound.span.end - lead + frame).0).collect();
        let says = match chart {
            Some(chart) => {
                // Drawings that are held pass over weaker sounds by intent.
                let weak = matches!(wanted.rule, Rule::TongueHidden | Rule::TeethApart);
                let Some(own) = chart.kinds.get(&wanted.kind).filter(|_| !weak) else { continue };
                let stands = |t: &Seconds| drawings.get((t.0 / frame.0).round() as usize) == Some(own);
                if times.iter().any(stands) {
                    continue;
                }
                format!("the mouth for “{}” never stands", wanted.kind.label())
            }
            None => {
                let read = |t: &Seconds| {
                    let face = looked.face.face_at(*t);
                    let seen = looked.mouth.map(|m| m.seen(&face));
                    (wanted.read)(&face, seen.as_ref())
                };
                let all: Vec<Shown> = times.iter().map(read).collect();
                if all.iter().any(|s| s.holds) {
                    continue;
                }
                // The frame nearest to the sound's middle speaks for it.
                let Some(middle) = all.get(all.len() / 2) else { continue };
                middle.says.clone()
            }
        };
        let around = Span { start: sound.span.start - Seconds(0.03), end: sound.span.end + Seconds(0.03) };
        let mended = match chart {
            Some(_) => None,
            None if plays_whole(looked) => looked.let_go(wanted.controls, around),
            None => looked.relayer("let the mouth play whole", |l| {
                l.settings.mouth = Default::default();
                l.levels.retain(|level| level.layer != LayerKind::Mouth);
            }),
        };
        let says = format!("{}: {says}.", looked.says(i));
        out.push(finding(wanted.rule, sound.span, vec![wanted.controls[0]], says, mended));
    }
}

/// Whether the mouth's layer plays everything at its full.
fn plays_whole(looked: &Looked<'_>) -> bool {
    let layers = &looked.line.layers;
    layers.plays(LayerKind::Mouth) >= 1.0
        && layers.settings.mouth.without.is_empty()
        && layers.shares(LayerKind::Mouth, looked.timing).iter().all(|(_, share)| *share == 1.0)
}
