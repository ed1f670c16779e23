//! What a vertical plane cuts, as lines: the slab about the plane is laid flat, and lines are found in it as on a floor plan.

use super::{FloorPlan, Layer, Level, Relation, Slab, Stand, floor_plan};
use crate::draw::Facing;
use crate::geometry::{Mat3, Pose, Vec3};
use crate::instrument::Instrument;
use nalgebra::{Matrix6, Vector2};
use std::collections::HashSet;

/// The frame of a section: across from the lower left corner of what is looked at, up, and towards who looks.
#[derive(Clone, Debug)]
pub struct Section {
    frame: Pose,
    size: [f64; 2],
    thickness: f64,
}

/// Cells of this size, so many each way about a spot, and how many of them are filled where the plane lies in a surface rather
/// than cuts it, metres: two walls that cross fill half as many.
const CELL: f64 = 0.03;
const ABOUT: i32 = 3;
const FILLED: usize = 30;

/// So far beyond its edges points still say something of lines, and so far whether the plane lies in a face there, metres.
const BEYOND: f64 = 0.05;
const SEEN: f64 = 0.2;

impl Section {
    /// Along the plane of an elevation, through all that lies within half a thickness of it (metres).
    ///
    /// ```
    /// use nalgebra::Vector2;
    /// use vistazo_core::draw::{Facing, Section};
    /// use vistazo_core::geometry::Vec3;
    /// let f = Facing::new([Vector2::new(1.0, 5.0), Vector2::new(4.0, 5.0)], [2.0, 5.0], [1.0, 0.2], 0.01);
    /// let at = Section::new(&f, 0.05).place(&Vec3::new(2.5, 4.0, 3.0));
    /// // one and a half metres from the left, one up, one before the plane
    /// assert!((at - Vec3::new(1.5, 1.0, 1.0)).norm() < 1e-12);
    /// ```
    pub fn new(of: &Facing, thickness: f64) -> Self {
        let up = of.towards.cross(&of.along);
        let rows = Mat3::from_rows(&[of.along.transpose(), up.transpose(), of.towards.transpose()]);
        let turn = Pose::from_matrix(rows, Vec3::zeros());
        let frame = Pose { translation: -turn.apply(&of.corner), ..turn };
        Self { frame, size: of.size, thickness }
    }

    /// A place as the section has it, metres: across, up, towards who looks.
    pub fn place(&self, p: &Vec3) -> Vec3 {
        self.frame.apply(p)
    }

    /// What is cut, empty: points of one scan go into it by [`Self::add`].
    pub fn slab(&self) -> Slab {
        Slab::new(Level { floor: 0.0, cut: 0.0, thickness: self.thickness })
    }

    /// Counts a point of the frame that the plane lies in, where it lies near the plane and within its edges.
    pub fn add(&self, slab: &mut Slab, p: &Vec3) {
        let q = self.place(p);
        let within = |v: f64, size: f64| (-SEEN..=size + SEEN).contains(&v);
        if q.z.abs() <= self.thickness / 2.0 && within(q.x, self.size[0]) && within(q.y, self.size[1]) {
            slab.add(&q);
        }
    }

    /// The lines of what is cut, across and up, metres; how each is known is as on a floor plan.
    pub fn lines(&self, layers: &[Layer], stands: &[Stand], relation: Relation, instrument: &Instrument) -> FloorPlan {
        let turn = self.frame.matrix();
        let mut both = Matrix6::zeros();
        both.fixed_view_mut::<3, 3>(0, 0).copy_from(&turn);
        both.fixed_view_mut::<3, 3>(3, 3).copy_from(&turn);
        let turned = |c: &Matrix6<f64>| both * c * both.transpose();
        let of = |s: &Stand| Stand { pose: self.frame.compose(&s.pose), covariance: turned(&s.covariance) };
        let stands: Vec<Stand> = stands.iter().map(of).collect();
        floor_plan(&self.without_faces(layers), &stands, &|a, b| relation(a, b).map(|c| turned(&c)), instrument, 0.0)
    }
}

impl Section {
    /// What is left where the plane lies in the face of a wall: that is seen square on, and no line of a section.
    fn without_faces(&self, layers: &[Layer]) -> Vec<Layer> {
        let cell = |at: &Vector2<f64>| ((at.x / CELL).floor() as i32, (at.y / CELL).floor() as i32);
        let filled: HashSet<(i32, i32)> = layers.iter().flat_map(|l| &l.cut).map(|s| cell(&s.at)).collect();
        let about = || (-ABOUT..=ABOUT).flat_map(|x| (-ABOUT..=ABOUT).map(move |y| (x, y)));
        let cut = |(i, j): &(i32, i32)| about().filter(|(x, y)| filled.contains(&(i + x, j + y))).count() < FILLED;
        let stays: HashSet<(i32, i32)> = filled.iter().copied().filter(cut).collect();
        let inside = |p: &Vector2<f64>| (0..2).all(|k| (-BEYOND..=self.size[k] + BEYOND).contains(&p[k]));
        let of = |l: &Layer| Layer {
            cut: l.cut.iter().copied().filter(|s| inside(&s.at) && stays.contains(&cell(&s.at))).collect(),
            ..Layer::default()
        };
        layers.iter().map(of).collect()
    }
}
