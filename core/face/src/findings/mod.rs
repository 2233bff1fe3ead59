//! What a supervisor would send back: rules that look at a performance and say where and what, each with a mend where
//! an edit of the line can make one.

mod alive;
mod heard;
mod limits;
pub mod measure;
mod mouth;
mod rule;

pub use limits::{LIMITS, Limit, SEAL_GAP};
pub use rule::{Finding, Looked, Mend, Mending, Rule};

use crate::curves::{HZ, openings, peak_near};
use crate::hand;
use crate::hand::Put;
use crate::mouth::{beats, goals};
use crate::sounds::spoken;
use jam_score::layers::{BlinkMode, BlinkShape, Look, Over, OwnBlink, Stretch};
use jam_score::{Control, Correction, Laid, LayerKind, Moment, Mood, Phone, Region, Seconds, Span};
use limits::{
    BEAT_LEAST, BLINK_ON_WORD, BLINKLESS, BLINKS_CLOSE, CLIPPED, CUT_OFF, EARLY, FIGHT, FLAP, FLAPS, LEAD,
    MIRRORED, STARE, SUDDEN, SYNC, TREMBLE, TREMBLE_HEAD, UNSHOWN,
};
use rule::{finding, mend};

/// Everything that is found, in order of time.
pub fn findings(looked: &Looked<'_>) -> Vec<Finding> {
    let mut all = Vec::new();
    let rules: [fn(&Looked<'_>, &mut Vec<Finding>); 14] = [
        mouth::shown,
        sync,
        jaw,
        trembles,
        frozen,
        alive::dead,
        alive::alone,
        blinks,
        stare,
        brows,
        moods,
        limits,
        recording,
        heard::agree,
    ];
    for rule in rules {
        rule(looked, &mut all);
    }
    for finding in &mut all {
        let near = |at: Moment| {
            let time = at.time(looked.timing);
            time >= finding.span.start - Seconds(0.05) && time <= finding.span.end + Seconds(0.05)
        };
        let name = finding.rule.name();
        let dismissed = looked.line.layers.dismissed.iter().find(|d| d.rule == name && near(d.at));
        finding.dismissed = dismissed.map(|d| d.reason.clone());
    }
    all.sort_by(|a, b| a.span.start.0.total_cmp(&b.span.start.0).then(a.rule.cmp(&b.rule)));
    // What is found again and again is one entry with its places.
    let mut once: Vec<Finding> = Vec::new();
    for found in all {
        if !once.iter_mut().any(|o| o.takes_up(&found)) {
            once.push(found);
        }
    }
    once
}

/// Jaw beats off their vowels as what is wired to the jaw shows them, and a lead by choice.
fn sync(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    let diction = &looked.line.diction;
    let whole = Span::new(0.0, looked.timing.end().0);
    if diction.lead.0.abs() > LEAD {
        let says = format!("The whole mouth is {:.0} ms ahead of the sound.", 1e3 * diction.lead.0);
        let mended = looked.rediction("bring the mouth back to the sound", |d| d.lead = Seconds(0.0));
        out.push(finding(Rule::SyncOff, whole, vec![Control::JawOpen], says, mended));
    }
    let Some(curve) = jaw_shown(looked) else { return };
    let mut sounds = spoken(looked.timing, &looked.line.reach, 0.0);
    beats::mark(&mut sounds, diction);
    let peak = |wanted: f64| peak_near(|i| curve[i], curve.len(), wanted, wanted - 0.12, wanted + 0.12);
    // Shorter or hardly open vowels have no peak of their own; of held ones the peak is noise.
    let beats = |s: &crate::sounds::SpokenSound| {
        let opens = beats::jaw_target(s, diction, false).target() > BEAT_LEAST;
        s.owns_beat && opens && (0.06..=diction.hold.0).contains(&s.length())
    };
    for (i, sound) in sounds.iter().enumerate().filter(|(_, s)| beats(s)) {
        let wanted = goals::core_middle(sound, diction) - diction.lead.0;
        let Some(now) = peak(wanted) else { continue };
        let off = now - wanted;
        if off.abs() > SYNC {
            let span = Span::new(sound.start, sound.end);
            let says = format!(
                "{}: the jaw opens {:.0} ms {}.",
                looked.says(i),
                1e3 * off.abs(),
                if off > 0.0 { "late" } else { "early" }
            );
            let around = Span::new((sound.start - 0.1).max(0.0), sound.end + 0.1);
            let mended = looked.let_go(&[Control::JawOpen], around);
            out.push(finding(Rule::SyncOff, span, vec![Control::JawOpen], says, mended));
        }
    }
}

/// The jaw's opening as the character shows it, sample by sample: what the outputs that it drives make of it, or where
/// none does the control's own curve.
fn jaw_shown(looked: &Looked<'_>) -> Option<Vec<f64>> {
    let curve = looked.face.curve(Control::JawOpen)?;
    let drives = |o: &&jam_rig::Output| o.feeds.iter().any(|f| f.control == Control::JawOpen && !f.stands_in);
    let Some(output) = looked.wiring.outputs.iter().find(drives) else {
        return Some(curve.iter().map(|v| f64::from(*v)).collect());
    };
    let mut face = vec![0.0; Control::ALL.len()];
    let mut shown = |opened: f32| {
        face[Control::JawOpen as usize] = opened;
        f64::from(output.value(&face))
    };
    let (rest, way) = (shown(0.0), if shown(1.0) < shown(0.0) { -1.0 } else { 1.0 });
    Some(curve.iter().map(|v| way * (shown(*v) - rest)).collect())
}

/// Jaw openings of some size, too many within a second.
fn jaw(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    const MOST: usize = FLAPS as usize;
    let Some(curve) = looked.face.curve(Control::JawOpen) else { return };
    let openings = openings(curve.iter().copied(), FLAP as f32);
    let Some(fast) = openings.windows(MOST).find(|w| w[MOST - 1] - w[0] < 1.0) else { return };
    let span = Span::new(fast[0], fast[MOST - 1]);
    let says = format!("The jaw opens {MOST} times within a second.");
    let own = looked.let_go(&[Control::JawOpen], span);
    let mended = own.or_else(|| {
        looked.rediction("open the jaw for fewer syllables", |d| {
            d.beat = d.beat.min(5.0);
            d.smoothness = d.smoothness.max(1.0);
        })
    });
    out.push(finding(Rule::JawFlaps, span, vec![Control::JawOpen], says, mended));
}

fn trembles(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    for &control in Control::ALL {
        let most = match control.region() {
            Region::Head => TREMBLE_HEAD as f32,
            // Eyes hop.
            Region::Gaze => continue,
            _ => TREMBLE as f32,
        };
        if looked.face.curve(control).is_none() {
            continue;
        }
        let (start, size) = measure::tremble(looked.face, control, looked.rate);
        if size <= most {
            continue;
        }
        let ids: Vec<u32> = looked
            .line
            .touches
            .iter()
            .filter(|t| t.control == control && t.aside.is_none())
            .map(|t| t.id)
            .collect();
        let put = hand::smoothed(looked.line, &ids, 0.06);
        let mended = (!put.is_empty()).then_some(()).and_then(|()| {
            let what = format!("smooth {}", control.title());
            mend(&what, Mending::Touches(Put::of(put)))
        });
        let says = format!("{} changes sides every frame, by {size:.3}.", control.title());
        out.push(finding(Rule::Trembles, Span::new(start, start + 0.25), vec![control], says, mended));
    }
}

fn frozen(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    let Some((start, life)) = measure::stillest(looked.face) else { return };
    if life >= 1.0 {
        return;
    }
    let says = "Nothing of the face moves for a second.".to_string();
    let mended = looked.relayer("let head and eyes live", |l| {
        (l.settings.head, l.settings.eyes) = (Default::default(), Default::default());
        (l.settings.sway, l.settings.brows) = (l.settings.sway.max(1.0), l.settings.brows.max(1.0));
        l.levels.retain(|level| !matches!(level.layer, LayerKind::Head | LayerKind::Eyes));
        for kind in [&mut l.settings.mouth, &mut l.settings.mood, &mut l.settings.hand] {
            kind.alone = false;
        }
    });
    out.push(finding(Rule::Frozen, Span::new(start, start + 1.0), Vec::new(), says, mended));
}

fn blinks(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    let lids = vec![Control::LidCloseLeft, Control::LidCloseRight];
    let peaks = measure::blinks(looked.face);
    let end = looked.timing.end().0;
    let mut last = 0.0;
    for next in peaks.iter().copied().chain([end]) {
        if next - last > BLINKLESS {
            let middle = 0.5 * (last + next);
            let ends = looked.heard.utterances.iter().map(|u| u.end + 0.08);
            let inside = ends.filter(|t| *t > last + 1.0 && *t < next - 1.0);
            let near = |t: &f64| (t - middle).abs();
            let at = inside.min_by(|a, b| near(a).total_cmp(&near(b))).unwrap_or(middle);
            let mended = looked.relayer("put a blink where it belongs", |l| {
                let at = Moment::at(looked.timing, Seconds(at));
                l.blinks.push(OwnBlink { id: 0, at, shape: BlinkShape::Natural });
            });
            let says = format!("The eyes stay open for {:.0} s.", next - last);
            out.push(finding(Rule::NoBlink, Span::new(last, next), lids.clone(), says, mended));
        }
        last = next;
    }
    let own = |at: f64| {
        let blinks = &looked.line.layers.blinks;
        blinks.iter().find(|b| (b.at.time(looked.timing).0 - at).abs() < 0.06).map(|b| b.id)
    };
    for pair in peaks.windows(2).filter(|w| w[1] - w[0] < BLINKS_CLOSE) {
        let id = own(pair[1]).or_else(|| own(pair[0]));
        let mended = match id {
            Some(id) => looked.relayer("take one of them out", |l| l.blinks.retain(|b| b.id != id)),
            None => looked.let_go(&lids, Span::new(pair[0] - 0.2, pair[1] + 0.3)),
        };
        let says = format!("Two blinks lie {:.2} s apart.", pair[1] - pair[0]);
        out.push(finding(Rule::BlinksClose, Span::new(pair[0], pair[1]), lids.clone(), says, mended));
    }
    for &(start, end) in &looked.face.told().wide {
        let from = (start * HZ).ceil().max(0.0) as usize;
        let to = ((end * HZ) as usize).min(looked.face.len().saturating_sub(1));
        let shut = (from..=to).filter(|i| measure::lids(looked.face, *i) > 0.5).count() as f64 / HZ;
        if shut <= BLINK_ON_WORD {
            continue;
        }
        let near = peaks.iter().copied().find(|t| *t > start - 0.15 && *t < end + 0.15);
        let word = looked.timing.sounds.iter().find(|s| (s.span.start.0 - start).abs() < 1e-6);
        let word = word.and_then(|s| looked.timing.word_of(s)).and_then(|w| looked.timing.name_word(w));
        let after = Moment::at(looked.timing, Seconds(end + 0.2));
        let mended = match near.and_then(own) {
            Some(id) => looked.relayer("blink after the word", |l| {
                for blink in l.blinks.iter_mut().filter(|b| b.id == id) {
                    blink.at = after;
                }
            }),
            None if looked.line.layers.settings.blinks.mode == BlinkMode::Pattern => {
                looked.relayer("let blinks keep to the words", |l| l.settings.blinks.mode = BlinkMode::Auto)
            }
            None => looked.let_go(&lids, Span::new((start - 0.2).max(0.0), end + 0.3)).or_else(|| {
                looked.relayer("blink after the word", |l| {
                    l.blinks.push(OwnBlink { id: 0, at: after, shape: BlinkShape::Natural });
                })
            }),
        };
        let says = format!(
            "The lids are shut for {:.0} ms of {}.",
            1e3 * shut,
            word.unwrap_or("a strong word".into())
        );
        out.push(finding(Rule::BlinkOnWord, Span::new(start, end), lids.clone(), says, mended));
    }
}

/// The lens is looked at, within 2.5 degrees, for more than 3 s without a blink and without a hop of .45 degrees.
fn stare(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    let [yaw, pitch] = &looked.face.told().gaze;
    if yaw.is_empty() {
        return;
    }
    let hop = (0.05 * HZ) as usize;
    let (start, length) = measure::longest(looked.face.len().min(yaw.len()), |i| {
        let before = i.saturating_sub(hop);
        let hops = (yaw[i] - yaw[before]).hypot(pitch[i] - pitch[before]) > 0.45;
        yaw[i].hypot(pitch[i]) < 2.5 && !hops && measure::lids(looked.face, i) < 0.5
    });
    if length <= STARE {
        return;
    }
    let middle = start + 0.5 * length;
    let mended = looked.relayer("look away for a moment", |l| {
        let over = Stretch::at(looked.timing, Span::new(middle - 0.5, middle + 0.5));
        let mark = l.settings.marks.iter().find(|m| m.yaw.hypot(m.pitch) > 3.0);
        let look = mark.map_or(Look::Think, |m| Look::Face { mark: m.id });
        l.looks.push(Over { id: 0, over, does: look });
    });
    let says = format!("The eyes hold the lens for {length:.1} s.");
    let controls = vec![Control::GazeYaw, Control::GazePitch];
    out.push(finding(Rule::Stare, Span::new(start, start + length), controls, says, mended));
}

fn brows(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    let Some((start, apart)) = measure::brow_difference(looked.face) else { return };
    if f64::from(apart) >= MIRRORED {
        return;
    }
    let controls = vec![Control::BrowInnerUpLeft, Control::BrowOuterUpLeft, Control::BrowDownLeft];
    let mended = looked.relayer("let the brows differ", |l| {
        l.settings.brows = l.settings.brows.max(1.0);
        l.moods.iter_mut().for_each(|m| m.does.sides = m.does.sides.max(1.0));
    });
    let says = format!("Left and right brow differ by {:.0} % of what they move.", 100.0 * apart);
    out.push(finding(Rule::MirroredBrows, Span::new(start, start + 2.0), controls, says, mended));
}

/// Moods that switch on, and moods that pull a control both ways.
fn moods(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    let moods = &looked.line.layers.moods;
    for span in moods {
        let onset = crate::layers::mood::manner_of(&span.does.mood).onset * span.does.ease;
        let over = span.over.span(looked.timing);
        if onset >= SUDDEN || over.start.0 < 0.05 {
            continue;
        }
        let id = span.id;
        let mended = looked.relayer("let the mood come", |l| {
            l.moods.iter_mut().filter(|m| m.id == id).for_each(|m| m.does.ease = 1.0);
        });
        let says = format!("{} is there within {:.0} ms.", title(&span.does.mood), 1e3 * onset);
        let at = Span::new(over.start.0, over.start.0 + 0.2);
        out.push(finding(Rule::SuddenMood, at, Vec::new(), says, mended));
    }
    for (k, one) in moods.iter().enumerate() {
        for other in &moods[k + 1..] {
            let (a, b) = (one.over.span(looked.timing), other.over.span(looked.timing));
            let (start, end) = (a.start.0.max(b.start.0), a.end.0.min(b.end.0));
            let weak = one.does.amount.min(other.does.amount) < FIGHT;
            // One that takes the other's place does not pull against it.
            if end - start < 0.5 || weak || other.does.instead {
                continue;
            }
            let (x, y) = (corners(&one.does.mood), corners(&other.does.mood));
            if x * y >= 0.0 {
                continue;
            }
            let later = other.id;
            let mended = looked.relayer("let one take the other’s place", |l| {
                l.moods.iter_mut().filter(|m| m.id == later).for_each(|m| m.does.instead = true);
            });
            let says = format!(
                "{} and {} pull the corners of the mouth both ways.",
                title(&one.does.mood),
                other.does.mood.title()
            );
            let controls = vec![Control::CornerUpLeft, Control::CornerDownLeft];
            out.push(finding(Rule::LayersFight, Span::new(start, end), controls, says, mended));
        }
    }
    // A pass and keys that both take a curve's place.
    let placed: Vec<_> =
        looked.line.touches.iter().filter(|t| t.aside.is_none() && t.laid == Laid::Replace).collect();
    for (k, one) in placed.iter().enumerate() {
        for other in placed[k + 1..].iter().filter(|o| o.control == one.control && o.pass != one.pass) {
            let reach = |t: &jam_score::Touch| {
                let keys = t.timed(looked.timing);
                (keys.first().map_or(0.0, |k| k.time), keys.last().map_or(0.0, |k| k.time))
            };
            let (a, b) = (reach(one), reach(other));
            let (start, end) = (a.0.max(b.0), a.1.min(b.1));
            if end - start < 0.1 {
                continue;
            }
            let pass = if one.pass.is_some() { one } else { other };
            let add = jam_score::Touch { laid: Laid::Add, ..(*pass).clone() };
            let what = format!("add the pass to {}", one.control.title());
            let mended = mend(&what, Mending::Touches(Put::of(vec![add])));
            let says = format!("A pass and keys both take the place of {}.", one.control.title());
            out.push(finding(Rule::LayersFight, Span::new(start, end), vec![one.control], says, mended));
        }
    }
}

fn title(mood: &Mood) -> String {
    let name = mood.title();
    let mut letters = name.chars();
    letters.next().map_or(String::new(), |c| c.to_uppercase().collect::<String>() + letters.as_str())
}

/// Which way a mood draws the corners of the mouth.
fn corners(mood: &Mood) -> f64 {
    let face = crate::layers::mood::held(mood, 1.0, jam_score::Seed(0), 0.0, 0.0);
    let of = |c: Control| face.get(&c).copied().unwrap_or(0.0);
    let way = of(Control::CornerUpLeft) - of(Control::CornerDownLeft);
    if way.abs() < 0.3 { 0.0 } else { way }
}

/// Controls that are asked beyond their ends by hand, and controls that drive nothing.
fn limits(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    for touch in looked.line.touches.iter().filter(|t| t.aside.is_none()) {
        let (low, high) = touch.control.range();
        let keys = touch.timed(looked.timing);
        let (Some(first), Some(last)) = (keys.first(), keys.last()) else { continue };
        let margin = CLIPPED as f32 * (high - low);
        let samples: Vec<f64> =
            (0..).map(|k| first.time + f64::from(k) / HZ).take_while(|t| *t <= last.time + 1e-9).collect();
        let beyond = |t: f64| {
            let (automatic, added) = looked.face.touched(touch.control, Seconds(t));
            let sum = automatic + added.iter().map(|a| a.1).sum::<f64>();
            (sum - f64::from(high + margin)).max(f64::from(low - margin) - sum)
        };
        let worst = samples.iter().map(|t| (beyond(*t), *t)).max_by(|a, b| a.0.total_cmp(&b.0));
        let long = samples.iter().filter(|t| beyond(**t) > 0.0).count() as f64 / HZ;
        let Some((by, at)) = worst.filter(|(by, _)| *by > 0.0 && long >= 0.1) else { continue };
        let (_, added) = looked.face.touched(touch.control, Seconds(at));
        let own = added.iter().find(|a| a.0 == touch.id).map_or(0.0, |a| a.1.abs());
        let keep =
            if own > 0.0 { ((own - by - f64::from(margin)) / own).clamp(0.0, 1.0) as f32 } else { 1.0 };
        let less = jam_score::Touch { amount: touch.amount * keep, ..touch.clone() };
        let what = format!("less of the keys on {}", touch.control.title());
        let mended = mend(&what, Mending::Touches(Put::of(vec![less])));
        let says = format!("{} is asked {by:.2} beyond its end for {long:.1} s.", touch.control.title());
        let span = Span::new(at, at + 0.1);
        out.push(finding(Rule::Clipped, span, vec![touch.control], says, mended));
    }
    if looked.wiring.outputs.is_empty() {
        return;
    }
    // Whole mouths show jaw, lips and tongue at once.
    let in_mouth = |c: Control| matches!(c.region(), Region::Jaw | Region::Lips | Region::Tongue);
    let drives = |c: Control| looked.wiring.outputs.iter().any(|o| o.feeds.iter().any(|f| f.control == c));
    for &control in Control::ALL {
        let least = match control.region() {
            Region::Head | Region::Gaze => 2.0,
            _ => UNSHOWN as f32,
        };
        let Some(curve) = looked.face.curve(control).filter(|c| measure::range(c.iter()) >= least) else {
            continue;
        };
        if drives(control) || looked.wiring.chart.is_some() && in_mouth(control) {
            continue;
        }
        let most = (0..curve.len()).max_by(|a, b| curve[*a].abs().total_cmp(&curve[*b].abs())).unwrap_or(0);
        let at = most as f64 / HZ;
        let says = format!(
            "{} moves, but this character has nothing that shows it; wire it in the Cast.",
            control.title()
        );
        out.push(finding(Rule::NoOutput, Span::new(at, at + 0.1), vec![control], says, None));
    }
}

/// The recording itself, its first frame, and whether it has the words of the text.
fn recording(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    let timing = looked.timing;
    let end = timing.end().0;
    let level = &looked.heard.level;
    let loudest = level.iter().copied().fold(-96.0f32, f32::max);
    let last = &level[level.len().saturating_sub(4)..];
    let ending = if last.is_empty() { -96.0 } else { last.iter().sum::<f32>() / last.len() as f32 };
    let speaks = timing.sounds.last().filter(|s| s.phone != Phone::Sil);
    if let Some(sound) = speaks.filter(|_| ending > loudest - CUT_OFF as f32 && loudest > -60.0) {
        let cut = timing.word_of(sound).and_then(|w| timing.name_word(w));
        let cut = cut.map_or("The last sound".to_string(), |w| format!("“{}”", w.trim_matches(['“', '”'])));
        let says = format!(
            "{cut} is cut off: the recording ends while it is still heard. Bring in one that lasts longer."
        );
        out.push(finding(Rule::CutOff, Span::new((end - 0.1).max(0.0), end), Vec::new(), says, None));
    }
    let first = timing.sounds.iter().find(|s| s.phone != Phone::Sil);
    if let Some(sound) = first.filter(|s| s.span.start.0 - looked.line.diction.lead.0 < EARLY) {
        let says = "The first sound comes with the first frame; start the shot earlier or leave air in the recording.";
        out.push(finding(Rule::StartsEarly, sound.span, Vec::new(), says.into(), None));
    }
    if !looked.line.is_timed() {
        let says = "The text or the take was changed after this was timed, and the mouth still speaks the old one: time it again.";
        out.push(finding(Rule::WrongText, Span::new(0.0, end), Vec::new(), says.into(), None));
    }
    for word in timing.words.iter().filter(|w| w.is_doubtful() && !w.unsaid) {
        let says = format!("“{}” was not heard for sure: listen and compare.", word.text);
        let mended =
            mend("it is right, pin it", Mending::Correct(vec![Correction::Accept { word: word.id }]));
        out.push(finding(Rule::Doubtful, word.span, Vec::new(), says, mended));
    }
}
