//! Findings mended and dismissed.

use crate::op::Op;
use crate::refusal::Refusal;
use crate::situation::{Change, Situation, short};
use jam_face::findings::{Finding, Looked, findings};
use jam_rig::Mouth;
use jam_score::layers::Dismissed;
use jam_score::{Ids, Moment, Span};

use crate::played::Played;

/// How far a finding may have moved and still be the same, seconds.
const SAME: f64 = 0.02;
/// How near a dismissal lies to what it dismisses, seconds.
const NEAR: f64 = 0.06;

impl Played {
    /// Everything that is wrong with the performance on a character with this mouth, in order of time.
    pub fn findings(&self, mouth: Option<&Mouth>) -> Vec<Finding> {
        let Some(timing) = &self.line.timing else { return Vec::new() };
        findings(&Looked {
            line: &self.line,
            timing,
            heard: &self.prosody,
            face: &self.face,
            wiring: &self.wiring,
            mouth,
            rate: self.grid.rate,
        })
    }
}

fn find(at: &Situation<'_>, rule: &str, start: f64) -> Result<Finding, Refusal> {
    let own = |f: &Finding| f.rule.name() == rule && (f.span.start.0 - start).abs() < SAME;
    let mouth = at.house.mouth();
    let found = at.played()?.findings(mouth.as_deref()).into_iter().find(own);
    found.ok_or_else(|| Refusal::gone("rule", "That is not found any more; look again."))
}

pub(crate) fn change(op: &Op, at: &Situation<'_>, ids: &mut Ids) -> Result<Change, Refusal> {
    let line = at.line;
    match op {
        Op::Mend { rule, start } => {
            let none = "Nothing in the line can mend this; its sentence says where it can be changed.";
            let mend = find(at, rule, *start)?.mend.ok_or_else(|| Refusal::new("rule", "no_mend", none))?;
            let changed = mend.does.mended(line, ids)?;
            Ok(Change::new(changed, mend.what))
        }
        Op::Dismiss { rule, start, reason } => {
            let timing = at.timing()?;
            let places: Vec<Span> = find(at, rule, *start)?.places().collect();
            let near = |d: &Dismissed| {
                let at = d.at.time(timing);
                d.rule == *rule && places.iter().any(|p| (at - p.start).0.abs() < NEAR)
            };
            let mut changed = line.clone();
            changed.layers.dismissed.retain(|d| !near(d));
            let reason = short(reason);
            if reason.is_empty() {
                return Ok(Change::new(changed, "take a dismissal back"));
            }
            let dismissed = |place: &Span| {
                let (at, rule, reason) = (Moment::at(timing, place.start), rule.clone(), reason.clone());
                Dismissed { id: 0, rule, at, reason }
            };
            changed.layers.dismissed.extend(places.iter().map(dismissed));
            Ok(Change::new(changed, "dismiss a finding"))
        }
        _ => unreachable!("the other operations are made elsewhere"),
    }
}
