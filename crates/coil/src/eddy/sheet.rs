//! Thin conducting sheets: base plates, covers, shields.
//!
//! The currents in a sheet are the curl of a stream function, bilinear between nodes and nothing along a free
//! rim; a cover's top and walls share the nodes along their edges. Galerkin's form gives a resistance matrix, an
//! inductance matrix from the Coulomb energies between cells, and the flux that the coil sends through; Lanczos'
//! iteration from that flux reduces them to a few relaxations that match the response at low frequency to as
//! many orders. Sheets thinner than the skin depth: 0.5 mm of brass up to 30 kHz.

use super::Relaxation;
use crate::cache::MemorySize;
use crate::factor::Factor;
use crate::inductance::MU_0;
use crate::magnet::{Patch, Shape, Surfaces, along};
use crate::numeric::gauss;
use crate::symmetry::{Mirror, earlier_images, middle};
use nalgebra::{DMatrix, DVector, SymmetricEigen};
use std::collections::HashMap;
use std::sync::LazyLock;

/// A flat rectangle of metal, by its middle plane.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Panel {
    /// Its middle, m.
    pub center_m: [f64; 3],
    /// Axis across it (0 is x).
    pub across: usize,
    /// Whether its outer side looks to the positive end of that axis.
    pub outward: bool,
    /// Half sizes along the other two axes, in the order of the axes, m.
    pub half_m: [f64; 2],
}

/// A part of one or several panels, cut into cells.
#[derive(Clone, Debug)]
pub struct Sheet {
    cells: Vec<Cell>,
    nodes: usize,
    /// Factor of the resistance over nodes, Ω; none where there is nothing that conducts.
    resistance: Option<Factor>,
    /// Inductance over nodes, H.
    inductance: DMatrix<f64>,
}

impl MemorySize for Sheet {
    fn bytes(&self) -> usize {
        2 * self.nodes * self.nodes * size_of::<f64>() + self.cells.len() * size_of::<Cell>()
    }
}

#[derive(Clone, Debug)]
struct Cell {
    patch: Patch,
    normal: (usize, f64),
    /// Unknowns at its corners (u0v0, u1v0, u0v1, u1v1); `None` on the rim.
    corners: [Option<usize>; 4],
    /// Sizes along its two axes.
    size_m: [f64; 2],
}

/// The panels of a box open below: top and four walls, or of a plate lying across its thinnest axis.
#[must_use]
pub fn panels_of(center_m: [f64; 3], size_m: [f64; 3], wall_m: Option<f64>) -> Vec<Panel> {
    let half = size_m.map(|s| s / 2.0);
    let Some(wall) = wall_m else {
        let across = (0..3).min_by(|&a, &b| size_m[a].total_cmp(&size_m[b])).unwrap_or(2);
        let others: Vec<usize> = (0..3).filter(|&a| a != across).collect();
        return vec![Panel { center_m, across, outward: true, half_m: [half[others[0]], half[others[1]]] }];
    };
    let (hx, hy, hz) = (half[0] - wall / 2.0, half[1] - wall / 2.0, half[2] - wall / 4.0);
    let [x, y, z] = center_m;
    let low = z - wall / 4.0;
    let panel = |center_m: [f64; 3], across: usize, outward: bool, half_m: [f64; 2]| Panel {
        center_m,
        across,
        outward,
        half_m,
    };
    vec![
        panel([x, y, low + hz], 2, true, [hx, hy]),
        panel([x + hx, y, low], 0, true, [hy, hz]),
        panel([x - hx, y, low], 0, false, [hy, hz]),
        panel([x, y + hy, low], 1, true, [hx, hz]),
        panel([x, y - hy, low], 1, false, [hx, hz]),
    ]
}

/// Points along each side of a cell where the coil's flux is taken, and where that of a string close above is.
const RULE: usize = 2;
const FINE_RULES: [usize; 3] = [2, 4, 12];
/// Fewest cells across and along a coil.
const LEAST: usize = 7;
static POINTS: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| gauss(RULE));
static FINE_POINTS: LazyLock<[Vec<(f64, f64)>; 3]> = LazyLock::new(|| FINE_RULES.map(gauss));

/// One way of the currents dying away, with the currents themselves.
#[derive(Clone, Debug)]
pub struct Mode {
    /// What the coil sees of it.
    pub relaxation: Relaxation,
    /// Stream function over the nodes, A·s per ampere in the coil: a coil current I at ω drives −jω/(1 + jωτ) times it.
    pub currents: DVector<f64>,
}

impl Cell {
    /// The places of a rule over the cell, each with the area that falls to the corners there.
    fn places<'a>(&'a self, points: &'a [(f64, f64)]) -> impl Iterator<Item = ([f64; 3], [f64; 4])> + 'a {
        let (u, v) = along(self.normal.0);
        let [du, dv] = self.size_m;
        points.iter().flat_map(move |&(s, ws)| {
            points.iter().map(move |&(t, wt)| {
                let mut at = self.patch.center_m;
                at[u] += du * (s - 0.5);
                at[v] += dv * (t - 0.5);
                let area = ws * wt * du * dv;
                let shares = [(1.0 - s) * (1.0 - t), s * (1.0 - t), (1.0 - s) * t, s * t];
                (at, shares.map(|share| share * area))
            })
        })
    }
}

/// How many cells a panel is cut into either way. Walls of one box meet cell to cell: the counts depend on the sizes alone.
fn counts(panel: &Panel, cell_m: f64) -> (usize, usize) {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped")]
    let count = |axis: usize, half: f64| {
        // Flat on the coil the currents turn within its width, whatever the panel's size.
        let least = if axis == 2 { 2 } else { LEAST };
        ((2.0 * half / cell_m).round() as usize).clamp(least, 24)
    };
    let (u, v) = along(panel.across);
    (count(u, panel.half_m[0]), count(v, panel.half_m[1]))
}

/// How many cells panels are cut into, without computing anything of them.
#[must_use]
pub fn cells_of(panels: &[Panel], cell_m: f64) -> usize {
    panels.iter().map(|panel| counts(panel, cell_m)).map(|(nu, nv)| nu * nv).sum()
}

impl Sheet {
    /// Cuts panels of thickness `thick_m` and conductivity `sigma_s_m` into cells of about `cell_m`.
    #[must_use]
    pub fn new(panels: &[Panel], thick_m: f64, sigma_s_m: f64, cell_m: f64) -> Self {
        #[allow(clippy::cast_possible_truncation, reason = "nanometres of a part fit")]
        let nano = |v: f64| (v * 1e9 / 10.0).round() as i64;
        let mut places: HashMap<[i64; 3], usize> = HashMap::new();
        let mut corners: Vec<([usize; 4], Cell)> = Vec::new();
        for panel in panels {
            let (u, v) = along(panel.across);
            let (nu, nv) = counts(panel, cell_m);
            let (du, dv) = (2.0 * panel.half_m[0] / nu as f64, 2.0 * panel.half_m[1] / nv as f64);
            let point = |i: f64, j: f64| {
                let mut at = panel.center_m;
                at[u] += du * i - panel.half_m[0];
                at[v] += dv * j - panel.half_m[1];
                at
            };
            for j in 0..nv {
                for i in 0..nu {
                    let four = [(i, j), (i + 1, j), (i, j + 1), (i + 1, j + 1)].map(|(a, b)| {
                        let at = point(a as f64, b as f64).map(nano);
                        let next = places.len();
                        *places.entry(at).or_insert(next)
                    });
                    let patch = Patch {
                        center_m: point(i as f64 + 0.5, j as f64 + 0.5),
                        shape: Shape::Rectangle { across: panel.across, half_m: [du / 2.0, dv / 2.0] },
                    };
                    let normal = (panel.across, if panel.outward { 1.0 } else { -1.0 });
                    corners.push((four, Cell { patch, normal, corners: [None; 4], size_m: [du, dv] }));
                }
            }
        }
        let unknown = unknowns(&corners, places.len());
        let nodes = unknown.iter().flatten().count();
        let cells: Vec<Cell> = corners
            .into_iter()
            .map(|(four, cell)| Cell { corners: four.map(|n| unknown[n]), ..cell })
            .collect();
        let mut sheet = Self { cells, nodes, resistance: None, inductance: DMatrix::zeros(0, 0) };
        sheet.resistance = Factor::try_new(sheet.resistances(1.0 / (sigma_s_m * thick_m)));
        sheet.inductance = sheet.inductances();
        sheet
    }

    /// Bilinear elements: ∫∇φ·∇φ′ dA over sheet conductance.
    fn resistances(&self, ohm_square: f64) -> DMatrix<f64> {
        let mut matrix = DMatrix::zeros(self.nodes, self.nodes);
        for cell in &self.cells {
            let [du, dv] = cell.size_m;
            let (a, b) = (dv / du / 6.0 * ohm_square, du / dv / 6.0 * ohm_square);
            for (p, one) in cell.corners.iter().enumerate() {
                for (q, other) in cell.corners.iter().enumerate() {
                    let (Some(i), Some(j)) = (one, other) else { continue };
                    let value = match (p & 1 == q & 1, p & 2 == q & 2) {
                        (true, true) => 2.0 * a + 2.0 * b,
                        (false, true) => -2.0 * a + b,
                        (true, false) => a - 2.0 * b,
                        (false, false) => -a - b,
                    };
                    matrix[(*i, *j)] += value;
                }
            }
        }
        matrix
    }

    /// Current density of unit nodes in the middle of a cell: ∇φ × n.
    fn currents(cell: &Cell) -> [(Option<usize>, [f64; 3]); 4] {
        let (u, v) = along(cell.normal.0);
        let (n, sign) = cell.normal;
        std::array::from_fn(|corner| {
            let gu = if corner & 1 == 0 { -0.5 } else { 0.5 } / cell.size_m[0];
            let gv = if corner & 2 == 0 { -0.5 } else { 0.5 } / cell.size_m[1];
            let mut gradient = [0.0; 3];
            (gradient[u], gradient[v]) = (gu, gv);
            let mut normal = [0.0; 3];
            normal[n] = sign;
            let [a, b] = [gradient, normal];
            let cross = [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
            (cell.corners[corner], cross)
        })
    }

    fn inductances(&self) -> DMatrix<f64> {
        let count = self.cells.len();
        let mut flow = [0, 1, 2].map(|_| DMatrix::zeros(count, self.nodes));
        for (c, cell) in self.cells.iter().enumerate() {
            for (node, current) in Self::currents(cell) {
                let Some(node) = node else { continue };
                for (axis, matrix) in flow.iter_mut().enumerate() {
                    matrix[(c, node)] += current[axis];
                }
            }
        }
        let mut energy = DMatrix::zeros(count, count);
        let mut known: HashMap<[i64; 8], f64> = HashMap::new();
        #[allow(clippy::cast_possible_truncation, reason = "nanometres of a part fit")]
        let nano = |v: f64| (v * 1e9).round() as i64;
        let axis = |cell: &Cell| i64::from(cell.normal.0 == 1) + 2 * i64::from(cell.normal.0 == 2);
        for i in 0..count {
            for j in 0..=i {
                let (a, b) = (&self.cells[i], &self.cells[j]);
                let apart = |k: usize| nano((a.patch.center_m[k] - b.patch.center_m[k]).abs());
                let key = [
                    axis(a),
                    axis(b),
                    apart(0),
                    apart(1),
                    apart(2),
                    nano(a.size_m[0] + b.size_m[0]),
                    nano(a.size_m[1] + b.size_m[1]),
                    nano(a.size_m[0]),
                ];
                let value = *known.entry(key).or_insert_with(|| a.patch.energy_with(&b.patch));
                energy[(i, j)] = value;
                energy[(j, i)] = value;
            }
        }
        let mut total = DMatrix::zeros(self.nodes, self.nodes);
        for matrix in &flow {
            total += matrix.tr_mul(&(&energy * matrix));
        }
        total * MU_0
    }

    /// Places where the flux through the sheet is taken, m: `RULE`² in every cell.
    #[must_use]
    pub fn points_m(&self) -> Vec<[f64; 3]> {
        self.cells.iter().flat_map(|cell| cell.places(&POINTS).map(|(at, _)| at)).collect()
    }

    /// Flux through every node's share of the sheet, Wb, from flux densities at its points.
    #[must_use]
    pub fn flux(&self, field: &[[f64; 3]]) -> DVector<f64> {
        let mut flux = DVector::zeros(self.nodes);
        let mut next = field.iter();
        for cell in &self.cells {
            let (axis, sign) = cell.normal;
            for ((_, shares), b) in cell.places(&POINTS).zip(&mut next) {
                for (node, share) in cell.corners.iter().zip(shares) {
                    if let Some(node) = node {
                        flux[*node] += sign * b[axis] * share;
                    }
                }
            }
        }
        flux
    }

    /// Flux through every node's share of the sheet, Wb, of a field (T along an axis) whose source is a line along y at x and
    /// z = `line_m` and may lie millimetres away: the closer to it, the more points a cell takes. Of a source that is its own mirror
    /// image across y the `images` tell the cells that need not be asked, as [`Self::images_across_y`] has them.
    #[must_use]
    pub fn flux_of_line(
        &self,
        line_m: (f64, f64),
        images: Option<&[Option<usize>]>,
        field: impl Fn([f64; 3], usize) -> f64,
    ) -> DVector<f64> {
        let mut flux = DVector::zeros(self.nodes);
        let mut of_cells: Vec<[f64; 4]> = Vec::with_capacity(self.cells.len());
        for (c, cell) in self.cells.iter().enumerate() {
            let (axis, sign) = cell.normal;
            let image = images.and_then(|images| images[c]);
            let of_corners = image.map_or_else(
                || {
                    let mut sum = [0.0; 4];
                    for (at, shares) in cell.places(Self::fine_points(cell, line_m)) {
                        let through = sign * field(at, axis);
                        sum.iter_mut().zip(shares).for_each(|(sum, share)| *sum += through * share);
                    }
                    sum
                },
                |image| {
                    // The corners to the other side: y is the first axis of a cell across x, the second of one across z.
                    let other_side = if axis == 0 { 1 } else { 2 };
                    let of_image: [f64; 4] = of_cells[image];
                    std::array::from_fn(|corner| of_image[corner ^ other_side])
                },
            );
            for (node, value) in cell.corners.iter().zip(of_corners) {
                if let Some(node) = node {
                    flux[*node] += value;
                }
            }
            of_cells.push(of_corners);
        }
        flux
    }

    /// Points along each side of a cell for the field of a line.
    fn fine_points(cell: &Cell, line_m: (f64, f64)) -> &'static [(f64, f64)] {
        let reach = cell.size_m[0].max(cell.size_m[1]);
        let center = cell.patch.center_m;
        let beside = ((center[0] - line_m.0).abs() - reach / 2.0).max(0.0);
        let distance = beside.hypot(center[2] - line_m.1);
        let rule = if distance > reach { 0 } else { 1 + usize::from(distance < reach / 3.0) };
        &FINE_POINTS[rule]
    }

    /// For each cell an earlier one that is its image across y = `middle_m`; `None` for cells across y.
    #[must_use]
    pub fn images_across_y(&self, middle_m: f64) -> Vec<Option<usize>> {
        let mirror = Mirror::across_y(middle_m);
        earlier_images(self.cells.len(), |cell, other| self.is_image_across_y(&mirror, cell, other))
    }

    fn is_image_across_y(&self, mirror: &Mirror, cell: usize, other: usize) -> bool {
        let (cell, other) = (&self.cells[cell], &self.cells[other]);
        cell.normal.0 != 1
            && cell.normal == other.normal
            && cell.patch.shape == other.patch.shape
            && mirror.is_image(cell.patch.center_m, other.patch.center_m)
    }

    /// What unit stream functions of the nodes drive in a magnetic part: one row per unknown of the part, one column per node.
    /// By reciprocity: the flux that the part's unit magnetisations send through the sheet, taken in the middles of its cells; of
    /// a sheet that is itself magnetic, as the mean just off its two faces, `half_m` from its middle plane: there field and flux
    /// are one.
    #[must_use]
    pub(crate) fn drives(&self, part: &Surfaces<'_>, half_m: Option<f64>) -> DMatrix<f64> {
        // First through every cell by every surface's unit charge.
        let mut through = DMatrix::zeros(part.patches.len(), self.cells.len());
        let images = self.equal_flux(part);
        for (c, cell) in self.cells.iter().enumerate() {
            if let Some(mirrored) = images.as_ref().and_then(|images| images[c]) {
                let (before, mut own) = through.columns_range_pair_mut(mirrored, c);
                own.copy_from(&before);
                for (value, patch) in own.iter_mut().zip(part.patches) {
                    *value *= patch.sign_across_y();
                }
                continue;
            }
            let (axis, sign) = cell.normal;
            let share = sign * cell.patch.area_m2() / 4.0;
            for (patch, value) in part.patches.iter().zip(through.column_mut(c).iter_mut()) {
                let off = |by: f64| {
                    let mut at = cell.patch.center_m;
                    at[axis] += by;
                    patch.field(at)[axis]
                };
                let field =
                    half_m.map_or_else(|| off(0.0), |half| 0.5 * (off(1.02 * half) + off(-1.02 * half)));
                *value = share * field;
            }
        }
        // Then through every node's share, and of that what each unknown charges.
        let mut of_nodes = DMatrix::zeros(part.patches.len(), self.nodes);
        for (cell, through) in self.cells.iter().zip(through.column_iter()) {
            for node in cell.corners.into_iter().flatten() {
                let mut of_node = of_nodes.column_mut(node);
                of_node += &through;
            }
        }
        let mut drives = DMatrix::zeros(part.charges.len(), self.nodes);
        for (mut column, of_node) in drives.column_iter_mut().zip(of_nodes.column_iter()) {
            for (value, list) in column.iter_mut().zip(part.charges) {
                *value = list.iter().map(|&(patch, density)| density * of_node[patch]).sum();
            }
        }
        drives
    }

    /// For each cell an earlier one through which a part sends the same flux: its image across y, where all of the part's surfaces
    /// lie in the plane, as those of a rod do.
    fn equal_flux(&self, part: &Surfaces<'_>) -> Option<Vec<Option<usize>>> {
        let middle_m = part.patches.first()?.center_m[1];
        let mirror = Mirror::across_y(middle_m);
        let is_even = part.patches.iter().all(|patch| mirror.is_in_plane(patch.center_m));
        is_even.then(|| self.images_across_y(middle_m))
    }

    /// The middle of the sheet along x, and by each of its nodes the one in its place in a mirror there; nothing where it is not its own
    /// image.
    pub(crate) fn mirrored_across_x(&self) -> Option<(f64, Vec<usize>)> {
        let middle_m = middle(self.cells.iter().map(|cell| cell.patch.center_m[0]));
        let mirror = Mirror::across_x(middle_m);
        let mut nodes = vec![usize::MAX; self.nodes];
        for cell in &self.cells {
            let (axis, outward) = cell.normal;
            let normal = (axis, if axis == 0 { -outward } else { outward });
            let image = self.cells.iter().find(|other| {
                other.normal == normal
                    && other.patch.shape == cell.patch.shape
                    && mirror.is_image(cell.patch.center_m, other.patch.center_m)
            })?;
            // Where x is one of the axes along the cell it is the first.
            let other_side = usize::from(axis != 0);
            for (corner, node) in cell.corners.iter().enumerate() {
                match (node, image.corners[corner ^ other_side]) {
                    (Some(node), Some(image)) => nodes[*node] = image,
                    (None, None) => {}
                    _ => return None,
                }
            }
        }
        Some((middle_m, nodes))
    }

    /// Its nodes.
    pub(crate) const fn nodes(&self) -> usize {
        self.nodes
    }

    /// aᵀR⁻¹b of two fluxes: how far they drive the same currents, slowly.
    #[must_use]
    pub fn drive_product(&self, a: &DVector<f64>, b: &DVector<f64>) -> f64 {
        self.resistance.as_ref().map_or(0.0, |factor| a.dot(&factor.solve(b.as_view())))
    }

    /// The ways of dying away that `flux` (Wb per ampere of the coil) meets, magnetic parts answering by `answer`: what
    /// they add to the sheet's inductance, H.
    #[must_use]
    pub fn modes(&self, flux: &DVector<f64>, answer: Option<&DMatrix<f64>>) -> Vec<Mode> {
        const STEPS: usize = 8;
        let Some(factor) = &self.resistance else { return Vec::new() };
        let inductance = answer.map_or_else(|| self.inductance.clone(), |more| &self.inductance + more);
        let start = factor.forward(flux.as_view());
        let size = start.norm();
        if size <= 0.0 {
            return Vec::new();
        }
        let apply = |v: &DVector<f64>| {
            let up = factor.backward(v.as_view());
            factor.forward((&inductance * up).as_view())
        };
        let mut basis = vec![&start / size];
        let (mut diagonal, mut beside) = (Vec::new(), Vec::new());
        for step in 0..STEPS.min(self.nodes) {
            let mut next = apply(&basis[step]);
            diagonal.push(next.dot(&basis[step]));
            // Full orthogonalisation, twice over: few steps, and none may come back.
            for _ in 0..2 {
                for old in &basis {
                    next -= old * next.dot(old);
                }
            }
            let norm = next.norm();
            if norm < 1e-9 * diagonal[0].abs() || step + 1 == STEPS.min(self.nodes) {
                break;
            }
            beside.push(norm);
            basis.push(next / norm);
        }
        let count = diagonal.len();
        let reduced = DMatrix::from_fn(count, count, |i, j| {
            if i == j {
                diagonal[i]
            } else if i.abs_diff(j) == 1 {
                beside[i.min(j)]
            } else {
                0.0
            }
        });
        let eigen = SymmetricEigen::new(reduced);
        (0..count)
            .map(|k| {
                let driven = size * eigen.eigenvectors[(0, k)];
                let mut mode = DVector::zeros(self.nodes);
                for (vector, share) in basis.iter().zip(eigen.eigenvectors.column(k).iter()) {
                    mode += vector * (*share * driven);
                }
                Mode {
                    relaxation: Relaxation {
                        strength_hs: driven * driven,
                        time_s: eigen.eigenvalues[k].max(0.0),
                    },
                    currents: factor.backward(mode.as_view()),
                }
            })
            .collect()
    }
}

/// Numbers the nodes that are not on a free rim: an edge of one cell only.
fn unknowns(cells: &[([usize; 4], Cell)], count: usize) -> Vec<Option<usize>> {
    let mut edges: HashMap<(usize, usize), u32> = HashMap::new();
    for (c, _) in cells {
        for (a, b) in [(c[0], c[1]), (c[2], c[3]), (c[0], c[2]), (c[1], c[3])] {
            *edges.entry((a.min(b), a.max(b))).or_default() += 1;
        }
    }
    let mut rim = vec![false; count];
    #[allow(clippy::iter_over_hash_type, reason = "marks commute")]
    for ((a, b), times) in edges {
        if times == 1 {
            (rim[a], rim[b]) = (true, true);
        }
    }
    let mut next = 0;
    rim.into_iter()
        .map(|on_rim| {
            (!on_rim).then(|| {
                next += 1;
                next - 1
            })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::magnet::{Block, Body, Demagnetisation, Magnetised, Resolution, Rod, System};

    /// A plate, and a cover.
    fn sheets() -> [Sheet; 2] {
        [(0.001, None), (0.02, Some(0.0005))].map(|(height_m, wall_m)| {
            let panels = panels_of([0.003, 0.0, -0.01], [0.07, 0.03, height_m], wall_m);
            Sheet::new(&panels, 0.0005, 1.6e7, 14e-3)
        })
    }

    fn rod(x_m: f64, y_m: f64) -> Body {
        Body::Rod(Rod {
            axis_m: (x_m, y_m),
            bottom_m: -0.013,
            length_m: 0.016,
            radius_m: 0.0024,
            bevel_m: 0.0,
            mu_r: 100.0,
            magnet: None,
        })
    }

    /// Of an even source half of the cells tell the rest.
    #[test]
    fn half_of_the_cells_tell_the_flux_of_an_even_line() {
        let of = |at: [f64; 3], axis: usize| at[axis] / at.iter().map(|x| x * x).sum::<f64>().powf(1.5);
        for sheet in sheets() {
            let images = sheet.images_across_y(0.0);
            assert!(images.iter().flatten().count() > sheet.cells.len() / 4);
            let (half, whole) = (
                sheet.flux_of_line((0.001, 0.002), Some(&images), of),
                sheet.flux_of_line((0.001, 0.002), None, of),
            );
            assert!((half - &whole).amax() < 1e-9 * whole.amax());
        }
    }

    /// What a rod to one side of a sheet's middle drives, one to the other side drives at the nodes in the mirror.
    #[test]
    fn a_rod_drives_what_its_image_does_at_the_images_of_the_nodes() {
        for sheet in sheets() {
            let (middle_m, nodes) = sheet.mirrored_across_x().expect("it is even");
            assert!((middle_m - 0.003).abs() < 1e-9);
            let drives = |x_m: f64| {
                let system = System::new(&[rod(x_m, 0.002)], Resolution::default());
                let part = system.surfaces().next().expect("there is one");
                sheet.drives(&part, None)
            };
            let (one, other) = (drives(middle_m - 0.012), drives(middle_m + 0.012));
            assert!((one.select_columns(&nodes) - &other).amax() < 1e-9 * other.amax());
        }
    }

    /// A rod over the middle of a plate, and within a cover whose walls lie along and across its row, drives what one does that
    /// is a hair's breadth off, of which no half is taken from the other.
    #[test]
    fn half_of_a_sheet_tells_the_other() {
        // Beside a bar a rod is magnetised across as well.
        let curve = Demagnetisation::Line { br_t: 0.4, mu_r: 1.05 };
        let bar = Body::Block(Block {
            center_m: [0.0, 0.02, -0.01],
            size_m: [0.06, 0.01, 0.003],
            mu_r: 1.05,
            magnet: Some((1, Magnetised { curve, charge: 1.0 })),
        });
        for sheet in sheets() {
            let drives = |y_m: f64| {
                let system = System::new(&[rod(0.012, y_m), bar], Resolution::default());
                let part = system.surfaces().next().expect("the rod is plain and comes first");
                sheet.drives(&part, None)
            };
            let (halved, whole) = (drives(0.0), drives(1e-8));
            let off = (&halved - &whole).amax() / whole.amax();
            assert!(off < 1e-5, "{off:e}");
        }
    }
}
