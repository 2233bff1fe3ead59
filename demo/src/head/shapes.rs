//! The skin's morph targets, named as the controls: closed-form fields over the map of the face.
//!
//! A vertical move of a lip needs a falloff longer than one and a half times itself, else the skin
//! folds. What the jaw moves, teeth and tongue move by the same straight morph, so they never part.

use super::sculpt::{EYE_RADIUS, JAW_PIVOT, LID};
use super::skin::{CREASE_AT, SOCK_RINGS, Skin, eye_angles, lid_edges, over_eye};
use crate::craft::maths::{V3, about_x, bell, blob, lerp, on, smooth, square, v};
use crate::craft::mesh::Shape;
use jam_shape::template::{GLIDE, MEET, NO_EYE, SWING};
use std::f64::consts::TAU;

/// The move of a point that follows the jaw wholly: a turn, and a little forward.
pub fn jaw_drop(p: V3) -> V3 {
    about_x(p, JAW_PIVOT, SWING.to_radians()) - p + v(0.0, 0.0, GLIDE)
}

/// What depends on a point's place only, used by many shapes.
struct Field {
    p: V3,
    mu: f64,
    /// sin ν, and its upper and lower half.
    u: f64,
    up: f64,
    low: f64,
    /// |cos ν|: 1 at the corners.
    arc: f64,
    in_sock: bool,
    sock: f64,
    head: f64,
    eye_ring: f64,
    eye_angle: f64,
    eye_side: f64,
    /// Falloffs: wide, very wide, medium, for vertical moves, lips only.
    wide: f64,
    widest: f64,
    medium: f64,
    vertical: f64,
    lip: f64,
    /// How much of a push forward reaches here: the depth of the mouth stays.
    forward: f64,
    /// Share of the left side.
    left: f64,
    jaw: f64,
    /// Height of the line of contact here, above its middle; and of this point above that line.
    line: f64,
    above: f64,
}

fn fields(skin: &Skin) -> Vec<Field> {
    let contact: Vec<f64> = skin.contact.iter().map(|i| skin.points[*i].y).collect();
    let spokes = skin.spokes;
    let contact_at = |nu: f64| {
        let at = nu.rem_euclid(TAU) / TAU * spokes as f64;
        let i = (at as usize).min(spokes - 1);
        lerp(contact[i], contact[(i + 1) % spokes], at - i as f64)
    };
    let middle = contact[spokes / 4];
    let behind = v(0.0, -0.10, -0.12);
    skin.points
        .iter()
        .zip(&skin.places)
        .map(|(p, place)| {
            let (p, mu) = (*p, place.mu);
            let (mut u, mut co) = place.nu.sin_cos();
            if place.ear {
                (u, co) = (0.0, 0.0);
            }
            let in_sock = place.sock > 0.0;
            let head = on(mu < 2.9 && !place.ear);
            let fade = head * (1.0 - smooth(4.5, SOCK_RINGS + 1.5, place.sock));
            let falloff = |from: f64, to: f64| (1.0 - smooth(from, to, mu)) * fade;
            let lip_jaw = (1.0 - u) / 2.0;
            let jaw = if place.ear {
                0.0
            } else if in_sock {
                let deep = lerp(lip_jaw, smooth(0.45, -0.45, u), (place.sock / 3.0).min(1.0));
                deep * (1.0 - 0.75 * smooth(5.0, SOCK_RINGS + 1.0, place.sock)) * head
            } else {
                let angle = (-(p.y - behind.y)).atan2(p.z - behind.z).to_degrees();
                let skin_jaw = smooth(8.0, 40.0, angle) * (1.0 - smooth(58.0, 102.0, angle));
                lerp(lip_jaw, skin_jaw, smooth(0.22, 0.95, mu)) * (1.0 - smooth(2.2, 2.72, mu)) * head
            };
            let line = contact_at(place.nu);
            Field {
                p,
                mu,
                u,
                up: u.max(0.0),
                low: (-u).max(0.0),
                arc: co.abs(),
                in_sock,
                sock: place.sock,
                head,
                eye_ring: place.eye_ring,
                eye_angle: place.eye_angle,
                eye_side: place.eye_side,
                wide: falloff(0.20, 1.15),
                widest: falloff(0.20, 1.75) * on(place.eye_ring >= NO_EYE),
                medium: falloff(0.18, 0.75),
                vertical: falloff(0.15, 1.05 - 0.10 * u),
                lip: falloff(0.10, 0.48),
                forward: falloff(0.15, 1.05 - 0.10 * u) * (1.0 - smooth(1.0, 4.0, place.sock)),
                left: smooth(-0.16, 0.16, if in_sock { co * 0.33 } else { p.x }),
                jaw,
                line: line - middle,
                above: if in_sock { 0.0 } else { p.y - line },
            }
        })
        .collect()
}

impl Field {
    /// 1 away from the eyes, fading inside their patches.
    fn off_eyes(&self, from: f64, to: f64) -> f64 {
        if self.eye_ring < NO_EYE { smooth(from, to, self.eye_ring) } else { 1.0 }
    }

    fn outside(&self) -> f64 {
        on(!self.in_sock)
    }

    fn cheek_apple(&self, side: f64) -> f64 {
        let near = blob(self.p, v(side * 0.43, -0.12, 0.72), v(0.24, 0.17, 0.32));
        near * on(self.mu > 0.45) * self.outside() * self.head * self.off_eyes(0.3, 1.0)
    }

    fn seal(&self) -> f64 {
        self.lip * if self.in_sock { 1.0 - smooth(1.0, 5.0, self.sock) } else { 1.0 }
    }

    fn upper_lip(&self, side_share: f64) -> f64 {
        side_share * self.up.powf(0.9) * self.vertical
    }

    /// A turn of the lids about the eye; angles for the upper and the lower lid.
    fn lid(&self, side: f64, upper: f64, lower: f64, grow: f64) -> V3 {
        if self.eye_side != side || self.eye_ring > 1.0 {
            return V3::ZERO;
        }
        let mirror = |p: V3| if side < 0.0 { p.mirrored() } else { p };
        let (azimuth, elevation, radius) = eye_angles(mirror(self.p));
        let share = (1.0 - self.eye_ring.max(0.0) / CREASE_AT).clamp(0.0, 1.0);
        let turned = if self.eye_angle.sin() > 1e-6 { upper } else { lower } * share;
        let lifted = lerp(radius, EYE_RADIUS * LID * (1.0 + grow), (share * 1.3).min(1.0));
        let radius = if self.eye_ring >= 0.0 { radius.max(lifted) } else { radius };
        mirror(over_eye(azimuth, elevation + turned, radius)) - self.p
    }
}

/// How far each point follows the jaw, and how far closing lips take it to where they meet.
pub fn jaw_and_seal(skin: &Skin) -> Vec<(f64, f64)> {
    fields(skin).iter().map(|f| (f.jaw, f.seal())).collect()
}

/// Every shape of the skin.
pub fn of_skin(skin: &Skin) -> Vec<Shape> {
    let fields = fields(skin);
    let mut out: Vec<Shape> = Vec::new();
    let mut shape = |name: &str, moved: &dyn Fn(&Field) -> V3| {
        out.push((name.to_string(), fields.iter().map(moved).collect()));
    };

    shape("jaw_open", &|f| {
        let sink = blob(v(f.p.x.abs(), f.p.y, f.p.z.abs()), v(0.52, -0.45, 0.42), v(0.16, 0.22, 0.25));
        jaw_drop(f.p) * f.jaw + v(-0.035 * f.p.x.signum() * sink, 0.0, 0.0)
    });
    shape("jaw_side", &|f| v(0.10 * f.jaw, 0.0, 0.0));
    shape("jaw_forward", &|f| v(0.0, 0.01 * f.jaw, 0.10 * f.jaw));
    shape("lips_close", &|f| jaw_drop(f.p) * ((MEET - f.jaw) * f.seal()) + v(0.0, 0.0, 0.02 * f.lip));
    // Rounded lips open lower than where they meet: round the edges of the teeth, which so are hardly seen.
    shape("lips_round", &|f| {
        let rim = f.lip * (0.012 * f.up - 0.004 * f.low) * bell(f.mu, 0.2);
        let y = rim + 0.026 * f.lip * f.u * smooth(0.03, 0.28, f.mu) - 0.85 * f.medium * f.line;
        let z = (0.13 + 0.085 * f.arc) * f.forward + 0.03 * f.lip * bell(f.mu - 0.12, 0.12);
        v(-0.60 * f.p.x * f.wide, y - lerp(0.036, 0.053, 0.5 + 0.5 * f.u) * f.medium, z)
    });
    shape("lips_protrude", &|f| {
        let y = (0.040 * f.up - 0.060 * f.low) * f.vertical - 0.6 * f.medium * f.line;
        let z = (0.15 + 0.07 * f.arc) * f.forward + 0.035 * f.lip * bell(f.mu, 0.15);
        v(-0.30 * f.p.x * f.wide, y - lerp(0.030, 0.048, 0.5 + 0.5 * f.u) * f.medium, z)
    });
    for (side_name, side) in [("left", 1.0), ("right", -1.0)] {
        let mut shape = |name: &str, moved: &dyn Fn(&Field, f64) -> V3| {
            let share = |f: &Field| if side > 0.0 { f.left } else { 1.0 - f.left };
            shape(&format!("{name}_{side_name}"), &|f| moved(f, share(f)));
        };
        shape("lips_spread", &|f, w| {
            let x = side * 0.135 * w * f.widest * f.arc.powf(1.2);
            let corner = w * f.wide * square(f.arc);
            v(x, 0.03 * corner - 0.16 * f.above * w * f.lip, -0.085 * corner - 0.012 * f.lip * w)
        });
        shape("lip_upper_raise", &|f, w| {
            let lip = f.upper_lip(w);
            let fold = blob(f.p, v(side * 0.16, -0.36, 0.9), v(0.16, 0.16, 0.3))
                * on(f.eye_ring > 1.5)
                * f.outside();
            v(0.0, 0.125 * lip + 0.035 * fold * (1.0 - f.medium), 0.012 * lip + 0.02 * fold)
        });
        shape("lip_lower_drop", &|f, w| {
            let lip = w * f.low.powf(0.9) * f.vertical;
            v(side * 0.015 * lip, -0.14 * lip, -0.015 * lip)
        });
        shape("corner_up", &|f, w| {
            let near = blob(f.p, v(side * 0.45, -0.19, 0.70), v(0.22, 0.17, 0.30));
            let cheek = near * on(f.mu > 0.5) * f.outside() * f.head * f.off_eyes(0.2, 1.0);
            let (x, y) = (w * f.widest * f.arc.powf(1.2), w * f.wide * f.arc.powf(1.75));
            let inner = w * f.lip * (1.0 - square(f.arc));
            v(
                side * (0.095 * x + 0.025 * cheek),
                0.15 * y + 0.045 * cheek - 0.02 * inner,
                -0.080 * y + 0.045 * cheek - 0.01 * f.lip * w,
            )
        });
        // Flat at the corner and in the middle: else either would come to a point.
        shape("corner_down", &|f, w| {
            let down = square(f.arc) * (2.0 - square(f.arc));
            let (x, y) = (w * f.widest * f.arc.powf(1.2), w * f.wide * down);
            v(side * 0.02 * x, -0.120 * y + 0.020 * w * f.lip * (1.0 - square(f.arc)), -0.030 * y)
        });
        shape("cheek_raise", &|f, _| v(side * 0.02, 0.085, 0.055) * f.cheek_apple(side));
        shape("nose_wrinkle", &|f, w| {
            let wing = blob(f.p, v(side * 0.15, -0.17, 0.95), v(0.11, 0.14, 0.2)) * f.head * f.outside();
            let bridge =
                blob(f.p, v(side * 0.08, 0.16, 0.9), v(0.10, 0.13, 0.2)) * f.off_eyes(0.3, 1.0) * f.head;
            let lip = f.upper_lip(w);
            v(side * 0.02 * wing, 0.055 * wing + 0.025 * bridge + 0.025 * lip, 0.015 * wing + 0.03 * bridge)
        });
        let brow = |f: &Field, centre: V3, radii: V3| {
            let above = f.off_eyes(0.35, 1.0) * f.outside() * f.head * smooth(0.05, 0.28, f.p.y);
            blob(f.p, v(side * centre.x, centre.y, centre.z), radii) * above
        };
        let inner = |f: &Field| brow(f, v(0.15, 0.42, 0.82), v(0.17, 0.20, 0.4));
        let outer = |f: &Field| brow(f, v(0.50, 0.40, 0.68), v(0.21, 0.22, 0.4));
        let whole = |f: &Field| brow(f, v(0.30, 0.42, 0.78), v(0.28, 0.19, 0.4));
        shape("brow_inner_up", &|f, _| v(-side * 0.02, 0.13, 0.01) * inner(f));
        shape("brow_outer_up", &|f, _| v(0.0, 0.15 * outer(f) + 0.03 * whole(f), 0.0));
        shape("brow_down", &|f, _| {
            v(-side * 0.045 * inner(f), -0.085 * whole(f) - 0.045 * inner(f), 0.035 * whole(f))
        });
        shape("lid_close", &|f, _| {
            let (upper, lower) = lid_edges(f.eye_angle);
            let meet = lower + 0.22 * (upper - lower);
            let tuck = 1.5f64.to_radians() * f.eye_angle.sin().abs();
            f.lid(side, meet - upper - tuck, meet - lower, 0.03)
        });
        shape("lid_wide", &|f, _| {
            let s = f.eye_angle.sin().abs();
            f.lid(side, 14f64.to_radians() * s, -5f64.to_radians() * s, 0.0)
        });
        shape("lid_squint", &|f, _| {
            let s = f.eye_angle.sin().abs();
            let lids = f.lid(side, -7f64.to_radians() * s, 9f64.to_radians() * s, 0.02);
            lids + v(0.0, 0.025, 0.02) * f.cheek_apple(side)
        });
    }
    // Pressed lips are thinner, roll in and meet flush.
    shape("lips_press", &|f| {
        let y = -0.38 * f.above * f.lip + 0.010 * f.low * f.lip * smooth(0.02, 0.12, f.mu);
        let rolled = -0.060 * f.lip * f.u.abs().sqrt() * bell(f.mu - 0.13, 0.11);
        v(0.0, y, rolled + 0.016 * f.lip * bell(f.mu, 0.03))
    });
    let rim = |f: &Field, width: f64| bell(f.mu, width) * on(f.sock <= 3.0) * f.head;
    // The lower lip comes up under and before the edge of the upper teeth.
    shape("lip_lower_tuck", &|f| {
        let (inner, outer) = (rim(f, 0.16), rim(f, 0.36));
        let lower = v(0.0, 0.018 * inner + 0.030 * outer * f.medium, -0.036 * inner - 0.020 * outer);
        lower * f.low.powf(0.9) + v(0.0, 0.036, 0.008) * (f.up.powf(0.9) * f.medium)
    });
    shape("lip_upper_roll", &|f| {
        let (inner, outer) = (rim(f, 0.16), rim(f, 0.36));
        let rolled = v(0.0, -0.045 * outer, -0.06 * inner - 0.035 * outer);
        (rolled - v(0.0, 0.30, 0.0) * (f.above * f.lip)) * f.up.powf(0.9)
    });
    shape("lip_lower_roll", &|f| {
        let (inner, outer) = (rim(f, 0.16), rim(f, 0.36));
        let rolled = v(0.0, 0.045 * outer, -0.06 * inner - 0.035 * outer);
        (rolled - v(0.0, 0.30, 0.0) * (f.above * f.lip)) * f.low.powf(0.9)
    });
    shape("mouth_side", &|f| {
        let lean = f.left - 0.5;
        v(0.11, 0.015 * lean, -0.03 * lean) * f.wide
    });
    shape("cheek_puff", &|f| {
        let cheek = blob(f.p.folded(), v(0.46, -0.48, 0.60), v(0.22, 0.22, 0.30)) * smooth(0.10, 0.6, f.mu);
        let lips = 0.16 * f.medium * smooth(0.05, 0.3, f.mu);
        v(1.2 * f.p.x, 0.0, f.p.z).unit() * (0.22 * (cheek + lips) * f.head * f.outside())
    });
    shape("chin_raise", &|f| {
        let chin = blob(f.p, v(0.0, -0.82, 0.80), v(0.22, 0.20, 0.3)) * f.head * f.outside();
        v(0.0, 0.045 * (1.0 - square(f.arc)) * f.lip + 0.05 * chin, 0.025 * chin + 0.014 * f.low * f.medium)
    });
    shape("nostril_flare", &|f| {
        let flare = |side: f64| {
            blob(f.p, v(side * 0.17, -0.22, 0.94), v(0.09, 0.08, 0.14)) * f.head * f.outside() * side
        };
        v(0.035, 0.0, 0.0) * (flare(1.0) + flare(-1.0)) + v(0.0, 0.012, 0.0) * (flare(1.0) - flare(-1.0))
    });
    out
}

/// What keeps a carved face from being a mirror image: rest positions only, after all shapes.
pub fn uneven(p: V3) -> V3 {
    p + v(
        0.022 * blob(p, v(0.0, -0.15, 1.05), v(0.22, 0.22, 0.3))
            - 0.012 * blob(p, v(0.0, -1.0, 0.6), v(0.4, 0.3, 0.5)),
        0.020 * blob(p, v(0.40, 0.44, 0.7), v(0.25, 0.14, 0.5))
            - 0.008 * blob(p, v(-0.40, 0.40, 0.7), v(0.25, 0.14, 0.5))
            + 0.016 * blob(p, v(0.36, -0.52, 0.8), v(0.16, 0.14, 0.4)),
        0.012 * blob(p, v(0.45, -0.25, 0.7), v(0.25, 0.25, 0.4)),
    )
}
