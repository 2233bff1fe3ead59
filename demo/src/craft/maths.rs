//! Small vocabulary of the sculpture: points, complex numbers, falloffs, noise.

use std::ops::{Add, AddAssign, Div, Mul, Neg, Sub, SubAssign};

/// A point, a direction or a colour (linear red, green, blue).
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct V3 {
    pub x: f64,
    pub y: f64,
    pub z: f64,
}

pub const fn v(x: f64, y: f64, z: f64) -> V3 {
    V3 { x, y, z }
}

impl V3 {
    pub const ZERO: V3 = v(0.0, 0.0, 0.0);
    pub const X: V3 = v(1.0, 0.0, 0.0);

    pub fn dot(self, o: V3) -> f64 {
        self.x * o.x + self.y * o.y + self.z * o.z
    }

    pub fn cross(self, o: V3) -> V3 {
        v(self.y * o.z - self.z * o.y, self.z * o.x - self.x * o.z, self.x * o.y - self.y * o.x)
    }

    pub fn length(self) -> f64 {
        self.dot(self).sqrt()
    }

    pub fn unit(self) -> V3 {
        self / self.length().max(1e-12)
    }

    /// Coordinate by coordinate.
    pub fn times(self, o: V3) -> V3 {
        v(self.x * o.x, self.y * o.y, self.z * o.z)
    }

    pub fn over(self, o: V3) -> V3 {
        v(self.x / o.x, self.y / o.y, self.z / o.z)
    }

    /// The same point on the +x side.
    pub fn folded(self) -> V3 {
        v(self.x.abs(), self.y, self.z)
    }

    /// The mirror image in the face's middle.
    pub fn mirrored(self) -> V3 {
        v(-self.x, self.y, self.z)
    }

    pub fn array(self) -> [f64; 3] {
        [self.x, self.y, self.z]
    }
}

impl Add for V3 {
    type Output = V3;
    fn add(self, o: V3) -> V3 {
        v(self.x + o.x, self.y + o.y, self.z + o.z)
    }
}

impl Sub for V3 {
    type Output = V3;
    fn sub(self, o: V3) -> V3 {
        v(self.x - o.x, self.y - o.y, self.z - o.z)
    }
}

impl Mul<f64> for V3 {
    type Output = V3;
    fn mul(self, k: f64) -> V3 {
        v(self.x * k, self.y * k, self.z * k)
    }
}

impl Div<f64> for V3 {
    type Output = V3;
    fn div(self, k: f64) -> V3 {
        v(self.x / k, self.y / k, self.z / k)
    }
}

impl Neg for V3 {
    type Output = V3;
    fn neg(self) -> V3 {
        self * -1.0
    }
}

impl AddAssign for V3 {
    fn add_assign(&mut self, o: V3) {
        *self = *self + o;
    }
}

impl SubAssign for V3 {
    fn sub_assign(&mut self, o: V3) {
        *self = *self - o;
    }
}

/// Linear blend; colours and points too.
pub fn lerp<T: Add<Output = T> + Mul<f64, Output = T> + Copy>(a: T, b: T, t: f64) -> T {
    a * (1.0 - t) + b * t
}

/// Smoothstep from 0 at `a` to 1 at `b`; the edges may come in either order.
pub fn smooth(a: f64, b: f64, x: f64) -> f64 {
    let t = ((x - a) / (b - a)).clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}

/// 1 where something holds, else 0.
pub fn on(holds: bool) -> f64 {
    f64::from(u8::from(holds))
}

pub fn square(x: f64) -> f64 {
    x * x
}

/// A bell of one variable.
pub fn bell(x: f64, width: f64) -> f64 {
    (-square(x / width)).exp()
}

/// A bell in space with a radius along each axis.
pub fn blob(p: V3, centre: V3, radii: V3) -> f64 {
    let q = (p - centre).over(radii);
    (-q.dot(q)).exp()
}

/// Straight-line interpolation in a table of rising `xs`, held beyond its ends.
pub fn table(x: f64, points: &[(f64, f64)]) -> f64 {
    let first = points[0];
    if x <= first.0 {
        return first.1;
    }
    points
        .windows(2)
        .find(|w| x <= w[1].0)
        .map_or(points[points.len() - 1].1, |w| lerp(w[0].1, w[1].1, (x - w[0].0) / (w[1].0 - w[0].0)))
}

fn turn(a: f64, b: f64, angle: f64) -> (f64, f64) {
    let (s, c) = angle.sin_cos();
    (a * c - b * s, a * s + b * c)
}

/// About the x axis through `pivot`; positive turns +z down.
pub fn about_x(p: V3, pivot: V3, angle: f64) -> V3 {
    let (y, z) = turn(p.y - pivot.y, p.z - pivot.z, angle);
    v(p.x, pivot.y + y, pivot.z + z)
}

pub fn about_y(p: V3, angle: f64) -> V3 {
    let (z, x) = turn(p.z, p.x, angle);
    v(x, p.y, z)
}

pub fn about_z(p: V3, angle: f64) -> V3 {
    let (x, y) = turn(p.x, p.y, angle);
    v(x, y, p.z)
}

/// A colour from its usual notation, to linear light (sRGB, IEC 61966-2-1).
pub fn colour(rgb: u32) -> V3 {
    let channel = |shift: u32| {
        let c = f64::from(rgb >> shift & 0xff) / 255.0;
        if c <= 0.04045 { c / 12.92 } else { ((c + 0.055) / 1.055).powf(2.4) }
    };
    v(channel(16), channel(8), channel(0))
}

/// Smooth value noise, -1..1, from a hash of the lattice and a seed.
pub fn noise(p: V3, seed: i64) -> f64 {
    let cell = p.array().map(f64::floor);
    let f: Vec<f64> =
        p.array().iter().zip(cell).map(|(a, c)| a - c).map(|f| f * f * (3.0 - 2.0 * f)).collect();
    let hash = |corner: [i64; 3]| {
        let at = |k: usize, prime: i64| (cell[k] as i64 + corner[k]).wrapping_mul(prime);
        let n = at(0, 73_856_093) ^ at(1, 19_349_663) ^ at(2, 83_492_791) ^ seed.wrapping_mul(2_654_435_761);
        let n = (n ^ (n >> 13)).wrapping_mul(1_274_126_177) & 0x7fff_ffff;
        ((n ^ (n >> 16)) & 0xffff) as f64 / 32767.5 - 1.0
    };
    let mut sum = 0.0;
    for corner in 0..8i64 {
        let bits = [corner & 1, corner >> 1 & 1, corner >> 2 & 1];
        let weight: f64 = bits.iter().zip(&f).map(|(b, f)| if *b == 1 { *f } else { 1.0 - f }).product();
        sum += weight * hash(bits);
    }
    sum
}

/// A small seeded generator (SplitMix64), 0..1.
pub struct Random(pub u64);

impl Random {
    pub fn next(&mut self) -> f64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
    }
}

/// A complex number.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Complex {
    pub re: f64,
    pub im: f64,
}

impl Complex {
    pub fn size(self) -> f64 {
        self.re.hypot(self.im)
    }

    pub fn scaled(self, k: f64) -> Complex {
        Complex { re: self.re * k, im: self.im * k }
    }

    pub fn plus(self, o: Complex) -> Complex {
        Complex { re: self.re + o.re, im: self.im + o.im }
    }

    pub fn plus_real(self, k: f64) -> Complex {
        Complex { re: self.re + k, im: self.im }
    }

    pub fn times(self, o: Complex) -> Complex {
        Complex { re: self.re * o.re - self.im * o.im, im: self.re * o.im + self.im * o.re }
    }

    pub fn over(self, o: Complex) -> Complex {
        let d = o.re * o.re + o.im * o.im;
        self.times(Complex { re: o.re / d, im: -o.im / d })
    }

    fn root(self) -> Complex {
        let (r, angle) = (self.size().sqrt(), self.im.atan2(self.re) / 2.0);
        Complex { re: r * angle.cos(), im: r * angle.sin() }
    }

    pub fn cosh(self) -> Complex {
        Complex { re: self.re.cosh() * self.im.cos(), im: self.re.sinh() * self.im.sin() }
    }

    pub fn acosh(self) -> Complex {
        let z = self.plus(self.plus_real(-1.0).root().times(self.plus_real(1.0).root()));
        Complex { re: z.size().ln(), im: z.im.atan2(z.re) }
    }
}
