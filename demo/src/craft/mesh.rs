//! Meshes of quads with colours and shapes.

use super::maths::V3;

pub type Quad = [usize; 4];

/// A named move of every vertex.
pub type Shape = (String, Vec<V3>);

/// Shares of joints that a point hangs on, at most four; they add up to 1.
pub type Hanging = Vec<(&'static str, f64)>;

/// Which material a mesh has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Material {
    Skin,
    Clay,
    Wool,
    Tongue,
    Teeth,
    Eye,
    Gloss,
    Paper,
    Bronze,
    Rope,
}

/// One mesh of the character.
pub struct Mesh {
    pub name: &'static str,
    pub points: Vec<V3>,
    pub quads: Vec<Quad>,
    pub colours: Vec<V3>,
    pub shapes: Vec<Shape>,
    pub material: Material,
    /// The joint that carries it.
    pub parent: &'static str,
    /// Where its own node is; points are then relative to it.
    pub pivot: Option<V3>,
    /// What each point hangs on, if not on the parent alone: joints with their shares.
    pub skin: Option<Vec<Hanging>>,
    /// Texture coordinates, with their period where they wrap round the head.
    pub uv: Option<(Vec<[f64; 2]>, f64)>,
}

impl Mesh {
    pub fn new(
        name: &'static str,
        points: Vec<V3>,
        quads: Vec<Quad>,
        colours: Vec<V3>,
        material: Material,
    ) -> Mesh {
        Mesh {
            name,
            points,
            quads,
            colours,
            shapes: Vec::new(),
            material,
            parent: "head",
            pivot: None,
            skin: None,
            uv: None,
        }
    }

    /// The joints that it hangs on.
    pub fn skin_joints(&self) -> Vec<&'static str> {
        let mut names: Vec<&str> = self.skin.iter().flatten().flatten().map(|(name, _)| *name).collect();
        names.sort_unstable();
        names.dedup();
        names
    }

    pub fn with_shapes(self, shapes: Vec<Shape>) -> Mesh {
        Mesh { shapes, ..self }
    }
}

/// A mesh whose parts are put together bit by bit.
#[derive(Default)]
pub struct Builder {
    pub points: Vec<V3>,
    pub quads: Vec<Quad>,
    pub colours: Vec<V3>,
}

impl Builder {
    /// Adds a grid of rows of points, all of one colour.
    pub fn grid(&mut self, rows: &[Vec<V3>], wrap: bool, colour: impl Fn(V3) -> V3) {
        let start = self.points.len();
        let columns = rows.first().map_or(0, Vec::len);
        self.quads.extend(grid(rows.len(), columns, wrap).into_iter().map(|q| q.map(|i| i + start)));
        for p in rows.iter().flatten() {
            self.points.push(*p);
            self.colours.push(colour(*p));
        }
    }

    /// Adds quads that share no points, as folded paper does not.
    pub fn facets(&mut self, points: &[V3], quads: &[Quad], mut colour: impl FnMut(V3, usize) -> V3) {
        for (k, q) in quads.iter().enumerate() {
            let middle = q.iter().fold(V3::ZERO, |s, i| s + points[*i]) / 4.0;
            let start = self.points.len();
            self.points.extend(q.iter().map(|i| points[*i]));
            self.colours.extend([colour(middle, k); 4]);
            self.quads.push([start, start + 1, start + 2, start + 3]);
        }
    }

    pub fn mesh(self, name: &'static str, material: Material) -> Mesh {
        Mesh::new(name, self.points, self.quads, self.colours, material)
    }
}

/// Area-weighted vertex normals.
pub fn normals(points: &[V3], quads: &[Quad]) -> Vec<V3> {
    let mut out = vec![V3::ZERO; points.len()];
    for q in quads {
        let n = (points[q[2]] - points[q[0]]).cross(points[q[3]] - points[q[1]]);
        for i in q {
            out[*i] += n;
        }
    }
    // Where quads are pinched to nothing any direction will do.
    let forward = V3 { x: 0.0, y: 0.0, z: 1.0 };
    out.into_iter().map(|n| if n.length() > 1e-12 { n.unit() } else { forward }).collect()
}

pub fn flip(quads: &mut [Quad]) {
    for q in quads {
        q.reverse();
    }
}

/// Quads of a grid of `rows` by `columns` points; `wrap` joins the last column to the first.
pub fn grid(rows: usize, columns: usize, wrap: bool) -> Vec<Quad> {
    let mut out = Vec::new();
    for i in 0..rows - 1 {
        for j in 0..if wrap { columns } else { columns - 1 } {
            let k = (j + 1) % columns;
            out.push([i * columns + j, (i + 1) * columns + j, (i + 1) * columns + k, i * columns + k]);
        }
    }
    out
}

/// Turns quads over unless `agrees` is positive for the normals.
pub fn face_outward(points: &[V3], quads: &mut [Quad], agrees: impl Fn(&[V3]) -> f64) {
    if agrees(&normals(points, quads)) < 0.0 {
        flip(quads);
    }
}

/// Neighbour lists along quad edges, each edge once.
pub struct Edges(Vec<[usize; 2]>);

impl Edges {
    pub fn of(quads: &[Quad]) -> Edges {
        let mut edges: Vec<[usize; 2]> = quads
            .iter()
            .flat_map(|q| (0..4).map(move |k| [q[k].min(q[(k + 1) % 4]), q[k].max(q[(k + 1) % 4])]))
            .filter(|e| e[0] != e[1])
            .collect();
        edges.sort_unstable();
        edges.dedup();
        Edges(edges)
    }

    /// The mean over each point's neighbours.
    pub fn mean(&self, values: &[V3]) -> Vec<V3> {
        let mut sums = vec![(V3::ZERO, 0.0); values.len()];
        for [a, b] in &self.0 {
            sums[*a].0 += values[*b];
            sums[*b].0 += values[*a];
            sums[*a].1 += 1.0;
            sums[*b].1 += 1.0;
        }
        sums.into_iter().map(|(s, n)| s / f64::max(n, 1.0)).collect()
    }

    pub fn mean_of_numbers(&self, values: &[f64]) -> Vec<f64> {
        let points: Vec<V3> = values.iter().map(|x| V3 { x: *x, y: 0.0, z: 0.0 }).collect();
        self.mean(&points).into_iter().map(|p| p.x).collect()
    }

    /// Mean length of each point's edges.
    pub fn mean_length(&self, points: &[V3]) -> Vec<f64> {
        let mut sums = vec![(0.0, 0.0); points.len()];
        for [a, b] in &self.0 {
            let length = (points[*a] - points[*b]).length();
            for i in [a, b] {
                sums[*i].0 += length;
                sums[*i].1 += 1.0;
            }
        }
        sums.into_iter().map(|(s, n)| s / f64::max(n, 1.0)).collect()
    }
}
