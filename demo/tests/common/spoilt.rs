//! Good performances, and the same spoilt in every way that the check list looks for.

use super::{other_recordings, others, performance, timed, under};
use jam_face::HZ;
use jam_face::findings::{Looked, Rule, findings};
use jam_rig::{Mouth, Wiring};
use jam_score::keys::KeyShape;
use jam_score::layers::{BlinkMode, BlinkShape, Look, Over, OwnBlink, Stretch};
use jam_score::touch::Key;
use jam_score::{Control, FrameRate, Laid, Line, Moment, Mood, Prosody, Region, Seconds, Span, Touch};
use jam_sound::Recording;
use jam_voice::Analyser;

/// A line as it is looked at.
#[derive(Clone)]
pub struct Case {
    pub line: Line,
    pub heard: Prosody,
    pub wiring: Wiring,
}

impl Case {
    fn end(&self) -> f64 {
        self.line.timing.as_ref().unwrap().end().0
    }

    /// Lays keys over a control, one every so many seconds.
    fn keyed(&mut self, control: Control, laid: Laid, step: f64, value: impl Fn(f64) -> f32) {
        let timing = self.line.timing.clone().unwrap();
        let keys: Vec<Key> = (0..=(self.end() / step) as usize)
            .map(|k| {
                let time = k as f64 * step;
                Key {
                    moment: Moment::at(&timing, Seconds(time)),
                    value: value(time),
                    shape: KeyShape::Smooth,
                }
            })
            .collect();
        let id = self.line.touches.len() as u32 + 1;
        let on = Touch::on(&timing, &keys);
        let (fade_in, fade_out) = (Seconds(0.02), Seconds(0.02));
        self.line.touches.push(Touch {
            id,
            control,
            on,
            laid,
            fade_in,
            fade_out,
            amount: 1.0,
            keys,
            aside: None,
            pass: None,
        });
    }

    /// Holds a control at a value throughout.
    pub fn held(&mut self, control: Control, value: f32) {
        self.keyed(control, Laid::Replace, 0.1, |_| value);
    }

    fn blink(&mut self, time: f64) {
        let at = Moment::at(self.line.timing.as_ref().unwrap(), Seconds(time));
        let id = self.line.layers.blinks.len() as u32 + 1;
        self.line.layers.blinks.push(OwnBlink { id, at, shape: BlinkShape::Natural });
    }

    /// What the check list says of it, with how many places.
    pub fn said(&self, mouth: &Mouth) -> Vec<(Rule, usize)> {
        self.said_of(Some(mouth))
    }

    pub fn said_of(&self, mouth: Option<&Mouth>) -> Vec<(Rule, usize)> {
        let (line, heard, wiring, rate) = (&self.line, &self.heard, &self.wiring, FrameRate::FILM);
        let face = performance(line, heard, rate);
        let timing = line.timing.as_ref().unwrap();
        let looked = Looked { line, timing, heard, face: &face, wiring, mouth, rate };
        findings(&looked).iter().map(|f| (f.rule, f.places().count())).collect()
    }
}

fn rest_the_eyes(case: &mut Case) {
    let settings = &mut case.line.layers.settings;
    settings.eyes.on = false;
    settings.brows = 0.0;
    settings.blinks.mode = BlinkMode::Off;
}

/// One way to spoil a performance: what rule should find it, and how.
pub struct Spoil {
    pub rule: Rule,
    pub way: &'static str,
    does: fn(&mut Case),
}

pub const SPOILS: &[Spoil] = &[
    Spoil {
        rule: Rule::OpenSeal,
        way: "lips close to six tenths",
        does: |c| c.held(Control::LipsClose, 0.6),
    },
    Spoil { rule: Rule::OpenSeal, way: "nothing closes the lips", does: |c| c.held(Control::LipsClose, 0.0) },
    Spoil {
        rule: Rule::MissingTeeth,
        way: "a quarter of the tuck over a third open jaw",
        does: |c| {
            c.held(Control::LipLowerTuck, 0.25);
            c.keyed(Control::JawOpen, Laid::Replace, 0.1, |_| 0.33);
        },
    },
    Spoil { rule: Rule::MissingTeeth, way: "lips stay round", does: |c| c.held(Control::LipsRound, 0.8) },
    Spoil {
        rule: Rule::TongueHidden,
        way: "the tongue lies still",
        does: |c| {
            c.held(Control::TongueOut, 0.0);
            c.held(Control::TongueTipUp, 0.0);
        },
    },
    Spoil {
        rule: Rule::TeethApart,
        way: "the jaw a quarter farther open",
        does: |c| c.keyed(Control::JawOpen, Laid::Add, 0.1, |_| 0.25),
    },
    Spoil {
        rule: Rule::SyncOff,
        way: "the jaw 60 ms late",
        does: |c| {
            let face = performance(&c.line, &c.heard, FrameRate::FILM);
            let curve = face.curve(Control::JawOpen).unwrap().to_vec();
            let late = move |t: f64| curve[(((t - 0.06).max(0.0) * HZ) as usize).min(curve.len() - 1)];
            c.keyed(Control::JawOpen, Laid::Replace, 0.02, late);
        },
    },
    Spoil {
        rule: Rule::SyncOff,
        way: "the whole mouth 100 ms ahead",
        does: |c| c.line.diction.lead = Seconds(0.1),
    },
    Spoil {
        rule: Rule::JawFlaps,
        way: "the jaw opens eight times a second",
        does: |c| {
            c.keyed(Control::JawOpen, Laid::Replace, 0.0625, |t| {
                if (t / 0.0625).round() as i64 % 2 == 0 { 0.05 } else { 0.4 }
            })
        },
    },
    Spoil {
        rule: Rule::Trembles,
        way: "a corner changes sides by .05 every frame",
        does: |c| {
            c.keyed(Control::CornerUpLeft, Laid::Replace, 1.0 / 24.0, |t| {
                if (t * 24.0).round() as i64 % 2 == 0 { 0.2 } else { 0.3 }
            })
        },
    },
    Spoil {
        rule: Rule::DeadFace,
        way: "the head's layer is off",
        does: |c| c.line.layers.settings.head.on = false,
    },
    Spoil { rule: Rule::DeadFace, way: "brows stay", does: |c| c.line.layers.settings.brows = 0.0 },
    Spoil {
        rule: Rule::TurnsAlone,
        way: "the head is turned by 25 degrees, eyes painted on",
        does: |c| {
            rest_the_eyes(c);
            c.keyed(Control::HeadYaw, Laid::Replace, 0.1, |t| {
                (25.0 * ((t - 1.0) / 0.4).clamp(0.0, 1.0)) as f32
            });
            c.held(Control::GazeYaw, 0.0);
            c.held(Control::GazePitch, 0.0);
        },
    },
    Spoil {
        rule: Rule::TurnsAlone,
        way: "eyes jump by 30 degrees in a head of stone",
        does: |c| {
            rest_the_eyes(c);
            c.line.layers.settings.head.on = false;
            c.keyed(Control::GazeYaw, Laid::Replace, 0.1, |t| if t > 1.0 { 30.0 } else { 0.0 });
        },
    },
    Spoil {
        rule: Rule::Frozen,
        way: "head and eyes off in a pause of two seconds",
        does: |c| {
            c.line.layers.settings.head.on = false;
            c.line.layers.settings.eyes.on = false;
        },
    },
    Spoil {
        rule: Rule::NoBlink,
        way: "no blinks",
        does: |c| c.line.layers.settings.blinks.mode = BlinkMode::Off,
    },
    Spoil {
        rule: Rule::BlinkOnWord,
        way: "a blink on the strongest word",
        does: |c| {
            c.line.layers.settings.blinks.mode = BlinkMode::Off;
            let strongest =
                c.heard.accents.iter().max_by(|a, b| a.strength.total_cmp(&b.strength)).unwrap().time;
            c.blink(strongest);
        },
    },
    Spoil {
        rule: Rule::BlinksClose,
        way: "two blinks three tenths apart",
        does: |c| {
            c.line.layers.settings.blinks.mode = BlinkMode::Off;
            c.blink(1.0);
            c.blink(1.3);
        },
    },
    Spoil {
        rule: Rule::Stare,
        way: "into the lens for the whole line",
        does: |c| {
            c.line.layers.settings.blinks.mode = BlinkMode::Off;
            c.line.layers.settings.eyes.amount = 0.02;
            let over = Stretch::at(c.line.timing.as_ref().unwrap(), Span::new(0.0, c.end()));
            c.line.layers.looks = vec![Over { id: 1, over, does: Look::At { mark: 2 } }];
        },
    },
    Spoil {
        rule: Rule::MirroredBrows,
        way: "both brows keyed alike",
        does: |c| {
            c.line.layers.settings.brows = 0.0;
            c.line.layers.settings.eyes.on = false;
            for control in [Control::BrowOuterUpLeft, Control::BrowOuterUpRight] {
                c.keyed(control, Laid::Replace, 0.4, |t| {
                    if (t / 0.4).round() as i64 % 2 == 0 { 0.1 } else { 0.5 }
                });
            }
        },
    },
    Spoil {
        rule: Rule::SuddenMood,
        way: "anger within a frame",
        does: |c| {
            c.line = under(&c.line, Some(&Mood::Anger));
            let over = Stretch::at(c.line.timing.as_ref().unwrap(), Span::new(0.5, c.end()));
            c.line.layers.moods[0].over = over;
        },
    },
    Spoil {
        rule: Rule::LayersFight,
        way: "happiness and sadness at once",
        does: |c| {
            let sad = under(&c.line, Some(&Mood::Sadness)).layers.moods;
            c.line = under(&c.line, Some(&Mood::Happiness));
            c.line.layers.moods.extend(sad.into_iter().map(|m| Over { id: 2, ..m }));
        },
    },
    Spoil {
        rule: Rule::Clipped,
        way: "half a smile more under full happiness",
        does: |c| {
            c.line = under(&c.line, Some(&Mood::Happiness));
            c.keyed(Control::CornerUpLeft, Laid::Add, 0.2, |_| 0.6);
        },
    },
    Spoil {
        rule: Rule::NoOutput,
        way: "a face without lips",
        does: |c| {
            c.wiring.outputs.retain(|o| o.feeds.iter().all(|f| f.control.region() != Region::Lips));
        },
    },
];

/// The good lines, with the ten joined to a long one at the end.
pub fn good(wiring: &Wiring) -> Vec<Case> {
    let case = |(line, heard): (Line, Prosody)| Case { line, heard, wiring: wiring.clone() };
    let rate = 16_000;
    let (mut all, mut text) = (Vec::new(), String::new());
    for (recording, own) in other_recordings() {
        all.extend_from_slice(&recording.mono_at(rate).unwrap());
        // Not digital silence: a little noise, as rooms have.
        all.extend((0..rate as usize * 2).map(|i| if i % 2 == 0 { 1e-4 } else { -1e-4 }));
        text += &own;
        text += " ";
    }
    let joined = Recording::new(rate, vec![all]).unwrap();
    let long = timed(&Analyser::shipped().unwrap(), &joined, Line::new(text.trim())).unwrap();
    others().iter().cloned().chain([long]).map(case).collect()
}

/// Recordings and texts that do not fit each other: the rule, the way, and what is looked at; none where the analysis
/// refuses the text at once.
pub fn misfits(wiring: &Wiring) -> Vec<(Rule, &'static str, Option<Case>)> {
    let analyser = Analyser::shipped().unwrap();
    let all = other_recordings();
    let whole = others();
    let mut out = Vec::new();
    for (i, (recording, text)) in all.iter().enumerate() {
        let case = |recording: &Recording, text: &str| {
            let (line, heard) = timed(&analyser, recording, Line::new(text)).ok()?;
            Some(Case { line, heard, wiring: wiring.clone() })
        };
        let timing = whole[i].0.timing.as_ref().unwrap();
        let mono = recording.mono().into_owned();
        let sample = |t: f64| ((t * f64::from(recording.rate())) as usize).min(mono.len());
        let cut = |from: f64, to: f64| {
            Recording::new(recording.rate(), vec![mono[sample(from)..sample(to)].to_vec()]).unwrap()
        };
        let (first, last) = (timing.words.first().unwrap(), timing.words.last().unwrap());
        let vowel = timing.sounds.iter().rfind(|s| s.phone.is_vowel()).unwrap().span;
        out.push((
            Rule::CutOff,
            "the recording ends in its last vowel",
            case(&cut(0.0, vowel.middle().0), text),
        ));
        out.push((
            Rule::StartsEarly,
            "the recording begins with its first word",
            case(&cut(first.span.start.0, timing.end().0), text),
        ));
        let words: Vec<&str> = text.split(' ').collect();
        let middle = words.len() / 2;
        let without: Vec<&str> = words
            .iter()
            .enumerate()
            .filter(|(k, _)| !(middle..middle + 2).contains(k))
            .map(|(_, w)| *w)
            .collect();
        out.push((
            Rule::Unwritten,
            "two words in the middle are not written",
            case(recording, &without.join(" ")),
        ));
        // A pause before the last word in which nothing is said, and a word for it.
        let mut paused = mono[..sample(last.span.start.0)].to_vec();
        paused.extend(std::iter::repeat_n(0.0, recording.rate() as usize));
        paused.extend_from_slice(&mono[sample(last.span.start.0)..]);
        let paused = Recording::new(recording.rate(), vec![paused]).unwrap();
        let with = [&words[..words.len() - 1], &["yesterday", "evening"], &words[words.len() - 1..]].concat();
        out.push((
            Rule::Unsaid,
            "two words are written for a second of silence",
            case(&paused, &with.join(" ")),
        ));
        let mut other = words.clone();
        other[middle] = "chrysanthemum";
        out.push((Rule::Doubtful, "one word is another one", case(recording, &other.join(" "))));
        let next = &all[(i + 1) % all.len()].1;
        out.push((Rule::WrongText, "the next line's text, timed again", case(recording, next)));
        let (line, heard) = whole[i].clone();
        let line = Line { text: next.clone(), ..line };
        let untimed = Case { line, heard, wiring: wiring.clone() };
        out.push((Rule::WrongText, "the next line's text, not timed again", Some(untimed)));
    }
    out
}

/// Whether a line has what a rule looks at.
pub fn concerns(rule: Rule, line: &Line) -> bool {
    use jam_score::Phone as P;
    let has = |phones: &[P]| line.timing.as_ref().unwrap().sounds.iter().any(|s| phones.contains(&s.phone));
    match rule {
        Rule::OpenSeal => has(&[P::P, P::B, P::M]),
        Rule::MissingTeeth => has(&[P::F, P::V]),
        Rule::TongueHidden => has(&[P::Th, P::Dh, P::L]),
        Rule::TeethApart => has(&[P::S, P::Z]),
        // Four seconds of talk.
        Rule::DeadFace => line.timing.as_ref().unwrap().end().0 >= 4.0,
        _ => true,
    }
}

/// How many of the good lines are found when they are spoilt, and of how many that have what the rule looks at. What takes
/// a long line is tried on that alone.
pub fn found(spoil: &Spoil, good: &[Case], mouth: &Mouth) -> (usize, usize) {
    let long = matches!(spoil.rule, Rule::Frozen | Rule::NoBlink);
    let cases = if long { &good[10..] } else { &good[..10] };
    let spoilt: Vec<Case> = cases
        .iter()
        .filter(|c| concerns(spoil.rule, &c.line))
        .map(|c| {
            let mut own = c.clone();
            (spoil.does)(&mut own);
            own
        })
        .collect();
    let found = spoilt.iter().filter(|c| c.said(mouth).iter().any(|(rule, _)| *rule == spoil.rule)).count();
    (found, spoilt.len())
}
