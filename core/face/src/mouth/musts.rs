//! What must hold, whatever diction or layers say: P B M seal the lips, F V tuck the lower lip to
//! the teeth, TH DH show the tongue, S Z bring the teeth together. Values are what the curves aim
//! at, with room for interpolation and wiring; the rules that are checked are a little wider
//! (seal ≥ .98, tuck ≥ .9, tongue ≥ .6, jaw of S and Z ≤ .15).

use crate::curves::HZ;
use crate::organ::Organ;
use crate::sounds::SpokenSound;
use jam_score::{Diction, FrameRate, Phone};
use std::cell::LazyCell;

/// A span in which an organ must keep within limits.
#[derive(Debug, Clone, PartialEq)]
pub struct Must {
    pub organ: Organ,
    pub start: f64,
    pub end: f64,
    pub low: Option<f64>,
    pub high: Option<f64>,
    /// Index of the sound whose rule it is.
    pub sound: usize,
}

/// Seals closer together than lips can part are one.
const ONE_SEAL: f64 = 0.055;
/// Highest seal beside a tuck or a tongue: else the controls pass and the wired face loses the tongue.
const LIPS_OFF: f64 = 0.2;

/// Share of a neighbouring sound that is its own, whatever a closure takes of it.
const ROOM: f64 = 0.35;
/// How long after its burst a closure may stay shut for the sake of a second frame, in frames.
const BURST_LATE: f64 = 0.6;

/// Roundest and farthest forward that lips are beside a tuck: measured on the wired face, where .43 and .32 leave 8 mm
/// between lip and teeth, and these 1.
const TUCKED_ROUND: f64 = 0.22;
const TUCKED_PROTRUDE: f64 = 0.10;

/// Where a stop of the lips usually bursts open, as a share of its length.
fn usual_burst(phone: Phone) -> Option<f64> {
    match phone {
        Phone::P => Some(0.62),
        Phone::B => Some(0.75),
        _ => None,
    }
}

/// The span in which a sound's rule must hold: its closure, or its middle, and at least one frame
/// long on any phase of the frame grid. Next to a seal a tuck or tongue keeps away from it.
pub fn span_of(sounds: &[SpokenSound], i: usize, rate: FrameRate) -> (f64, f64) {
    let sound = &sounds[i];
    let seals = |k: Option<usize>| k.and_then(|k| sounds.get(k)).is_some_and(SpokenSound::is_seal);
    let (after_seal, before_seal) = (seals(i.checked_sub(1)), seals(Some(i + 1)));
    let (mut start, mut end, d) = (sound.start, sound.end, sound.length());
    match sound.phone {
        Phone::P | Phone::B if d > 0.04 => end = start + usual_burst(sound.phone).unwrap_or(1.0) * d,
        Phone::F | Phone::V | Phone::Th | Phone::Dh => {
            let edge = if sound.is_tuck() { 0.15 } else { 0.2 };
            start += if after_seal { 0.45 } else { edge } * d;
            end -= if before_seal { 0.45 } else { edge } * d;
        }
        Phone::S | Phone::Z => {
            start += 0.2 * d;
            end -= 0.2 * d;
        }
        _ => {}
    }
    let shortest = rate.frame_length().0 + 0.002;
    if end - start < shortest {
        let missing = shortest - (end - start);
        let backwards = if sound.is_seal() {
            0.6
        } else if after_seal {
            0.0
        } else if before_seal {
            1.0
        } else {
            0.5
        };
        start -= backwards * missing;
        end += (1.0 - backwards) * missing;
    }
    (start, end)
}

/// Every must of a line.
pub fn gather(sounds: &[SpokenSound], diction: &Diction, rate: FrameRate) -> Vec<Must> {
    let mut seals: Vec<Must> = Vec::new();
    let mut others: Vec<Must> = Vec::new();
    for (i, sound) in sounds.iter().enumerate() {
        // Few sounds have a rule.
        let span = LazyCell::new(|| span_of(sounds, i, rate));
        let must = |organ, low, high| Must { organ, start: span.0, end: span.1, low, high, sound: i };
        if sound.is_seal() {
            let mut seal = must(Organ::Seal, Some(1.0), Some(1.0));
            // Lips part with the burst where it is heard; the jaw is on its way by then.
            if let (Some(release), Some(_)) = (sound.release, usual_burst(sound.phone)) {
                let burst = sound.start + release.clamp(0.3, 1.0) * sound.length();
                // Windows are rounded outward to the solver's grid: after the burst no point of it is still shut.
                seal.end = ((burst - diction.lead.0) * HZ).floor() / HZ + diction.lead.0;
                seal.start = seal.start.min(seal.end - rate.frame_length().0 - 0.002);
            }
            seals.push(seal);
            others.push(must(Organ::Jaw, None, Some(0.30)));
        } else if sound.is_tuck() {
            others.push(must(Organ::Tuck, Some(0.95), Some(1.0)));
            others.push(must(Organ::Jaw, None, Some(0.18)));
            // Lips that stay round hold the lower one off the teeth, however far it is tucked.
            others.push(must(Organ::Round, None, Some(TUCKED_ROUND)));
            others.push(must(Organ::Protrude, None, Some(TUCKED_PROTRUDE)));
        } else if sound.is_tongue() {
            others.push(must(Organ::Out, Some(0.85), Some(1.0)));
            others.push(must(Organ::Jaw, Some(0.16), Some(0.34)));
        } else if sound.is_teeth() {
            others.push(must(Organ::Jaw, None, Some(0.12)));
        }
    }
    seals.sort_by(|a, b| a.start.total_cmp(&b.start));
    let mut merged: Vec<Must> = Vec::new();
    for seal in seals {
        match merged.last_mut() {
            Some(last) if seal.start - last.end < ONE_SEAL => last.end = last.end.max(seal.end),
            _ => merged.push(seal),
        }
    }
    let lips_off: Vec<Must> = others
        .iter()
        .filter(|m| matches!(m.organ, Organ::Tuck | Organ::Out))
        .map(|m| Must { organ: Organ::Seal, low: None, high: Some(LIPS_OFF), ..m.clone() })
        .collect();
    let lead = diction.lead.0;
    merged.iter_mut().for_each(|seal| hold(seal, sounds, lead, rate));
    others.extend(merged);
    others.extend(lips_off);
    for must in &mut others {
        must.start -= lead;
        must.end -= lead;
    }
    part_teeth_and_tongue(&mut others);
    others.retain(|m| m.end > m.start);
    others
}

/// A closure on one frame only is hardly seen. Where there is room it is held for a second one: the frame before it, so that
/// its opening stays with the burst, else the one after. Frames lie on multiples of their length.
fn hold(seal: &mut Must, sounds: &[SpokenSound], lead: f64, rate: FrameRate) {
    let frame = rate.frame_length().0;
    let (first, last) = (((seal.start - lead) / frame).ceil(), ((seal.end - lead) / frame).floor());
    if last - first >= 1.0 {
        return;
    }
    let room = |k: Option<usize>| k.and_then(|k| sounds.get(k)).filter(|s| !(s.is_tuck() || s.is_tongue()));
    let i = seal.sound;
    // The solver's grid points round the frame hold, so that what is between them does, too.
    let back = (first - 1.0) * frame + lead;
    let on = (last + 1.0) * frame + lead;
    let last_sound = sounds.partition_point(|s| s.start < seal.end).checked_sub(1).unwrap_or(i);
    // A pause keeps nothing for itself.
    let own = |s: &SpokenSound| if s.phone == Phone::Sil { 0.0 } else { ROOM * s.length() };
    if room(i.checked_sub(1)).is_some_and(|before| back > before.start + own(before)) {
        seal.start = back;
    } else if room(Some(last_sound + 1)).is_some_and(|next| on < next.end - ROOM * next.length())
        && on - seal.end < BURST_LATE * frame
    {
        seal.end = on;
    }
}

/// The tongue between the teeth and the teeth together cannot both hold: where they touch on the
/// solver's grid, the first ends on a grid point and the second starts on the next.
fn part_teeth_and_tongue(musts: &mut [Must]) {
    const STEP: f64 = 1.0 / HZ;
    let jaw = |m: &Must, low: bool| m.organ == Organ::Jaw && m.low.is_some() == low;
    let tongues: Vec<usize> = (0..musts.len()).filter(|i| jaw(&musts[*i], true)).collect();
    let teeth: Vec<usize> = (0..musts.len()).filter(|i| jaw(&musts[*i], false)).collect();
    // Windows only become shorter: one that begins too early for the longest to reach here, or too late, is not looked at.
    let mut begin: Vec<(f64, usize)> = tongues.iter().map(|t| (musts[*t].start, *t)).collect();
    begin.sort_by(|a, b| a.0.total_cmp(&b.0));
    let longest = tongues.iter().map(|t| musts[*t].end - musts[*t].start).fold(0.0, f64::max);
    for &z in &teeth {
        let (from, to) = (musts[z].start - longest - 2.0 * STEP, musts[z].end + 2.0 * STEP);
        let first = begin.partition_point(|(start, _)| *start < from);
        let mut near: Vec<usize> =
            begin[first..].iter().take_while(|(start, _)| *start < to).map(|(_, t)| *t).collect();
        near.sort_unstable();
        for t in near {
            let (a, b) = (&musts[z], &musts[t]);
            // Windows are rounded outward to the grid, so they meet when less than two steps apart.
            if a.start < b.end + 2.0 * STEP && b.start < a.end + 2.0 * STEP {
                let middle = 0.5 * (a.start.max(b.start) + a.end.min(b.end));
                let meet = (middle * HZ).floor() * STEP;
                let (first, second) = if a.start + a.end < b.start + b.end { (z, t) } else { (t, z) };
                musts[first].end = musts[first].end.min(meet);
                musts[second].start = musts[second].start.max(meet + STEP);
            }
        }
    }
}
