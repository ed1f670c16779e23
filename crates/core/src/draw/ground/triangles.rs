use nalgebra::{Vector2, Vector3};
use rstar::{AABB, RTree, RTreeObject};

/// A surface of triangles that somebody else made: an earlier survey, a design. What its heights are uncertain by is said by whoever
/// brings it, not found.
///
/// ```
/// use nalgebra::Vector2;
/// use vistazo_core::draw::ground::Triangles;
/// let corners = [[412_350.0, 5_604_820.0, 87.0], [412_352.0, 5_604_820.0, 88.0], [412_350.0, 5_604_822.0, 87.0]];
/// let s = Triangles::new(&corners, &[[0, 1, 2]]).unwrap();
/// assert_eq!(s.height(&Vector2::new(412_351.0, 5_604_820.5)), Some(87.5));
/// assert_eq!(s.height(&Vector2::new(412_352.0, 5_604_822.0)), None);
/// ```
pub struct Triangles {
    tree: RTree<Face>,
    origin: Vector3<f64>,
}

/// Corners about the first of all, so that digits are kept.
struct Face([Vector3<f64>; 3]);

impl RTreeObject for Face {
    type Envelope = AABB<[f64; 2]>;

    fn envelope(&self) -> Self::Envelope {
        AABB::from_points(&self.0.map(|c| [c.x, c.y]))
    }
}

/// A place this little beside a triangle, as a share of it, lies on its edge.
const EDGE: f64 = 1e-9;

impl Face {
    fn height(&self, p: &Vector2<f64>) -> Option<f64> {
        let [a, b, c] = &self.0;
        let (u, v, w) = ((b - a).xy(), (c - a).xy(), p - a.xy());
        let twice = u.perp(&v);
        let (s, t) = (w.perp(&v) / twice, u.perp(&w) / twice);
        // what stands upright has no height over a place
        (twice.abs() > 1e-12 && s >= -EDGE && t >= -EDGE && s + t <= 1.0 + EDGE)
            .then(|| a.z + s * (b.z - a.z) + t * (c.z - a.z))
    }
}

impl Triangles {
    /// Of corners (easting, northing, height, metres), and three of them for each face. Faces of corners that are not there are left
    /// out; `None` when none is left.
    pub fn new(corners: &[[f64; 3]], faces: &[[u32; 3]]) -> Option<Self> {
        let origin = Vector3::from(*corners.first()?);
        let corner = |k: &u32| corners.get(*k as usize).map(|c| Vector3::from(*c) - origin);
        let face = |[a, b, c]: &[u32; 3]| Some(Face([corner(a)?, corner(b)?, corner(c)?]));
        let all: Vec<Face> = faces.iter().filter_map(face).collect();
        (!all.is_empty()).then(|| Self { tree: RTree::bulk_load(all), origin })
    }

    /// The height at a place, metres; none beside the surface. Where triangles lie over one another, the highest.
    pub fn height(&self, p: &Vector2<f64>) -> Option<f64> {
        let local = p - self.origin.xy();
        let over = self.tree.locate_in_envelope_intersecting(AABB::from_point([local.x, local.y]));
        Some(over.filter_map(|f| f.height(&local)).max_by(f64::total_cmp)? + self.origin.z)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::draw::ground::{Ground, GroundCell, Height, Surface, volume_between};

    /// A pyramid 3 m high on a square of 20 m, its foot at 87 m; its origin far away.
    fn pyramid(corner: Vector2<f64>) -> Triangles {
        let at = |x: f64, y: f64, z: f64| [corner.x + x, corner.y + y, z];
        let corners = [
            at(10.0, 5.0, 87.0),
            at(30.0, 5.0, 87.0),
            at(30.0, 25.0, 87.0),
            at(10.0, 25.0, 87.0),
            at(20.0, 15.0, 90.0),
        ];
        Triangles::new(&corners, &[[0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4], [0, 1, 9]]).unwrap()
    }

    #[test]
    fn heights_are_those_of_the_triangle_over_a_place() {
        let corner = Vector2::new(412_300.0, 5_604_800.0);
        let s = pyramid(corner);
        for k in 0..4000 {
            let p = Vector2::new(f64::from(k % 80) * 0.5 + 0.1, f64::from(k / 80) * 0.6 + 0.05);
            let down = (p.x - 20.0).abs().max((p.y - 15.0).abs());
            match s.height(&(corner + p)) {
                Some(h) => assert!(down < 10.0 && (h - (90.0 - 0.3 * down)).abs() < 1e-6, "{p} {h}"),
                None => assert!(down > 10.0, "{p}"),
            }
        }
        assert!(Triangles::new(&[[0.0; 3]; 2], &[[0, 1, 2]]).is_none());
    }

    #[test]
    fn what_lies_between_two_surfaces_is_what_the_solid_holds() {
        let (corner, cell, size) = (Vector2::new(412_300.0, 5_604_800.0), 0.2, [200, 150]);
        let cells = vec![Some(GroundCell { height: 88.5, own: 1e-7, common: 4e-6, points: 9 }); 200 * 150];
        let surface = Surface::new(Ground { corner, cell, size, cells, points: [0; 2] }, &[], 0.001, 3.0).unwrap();
        let other = pyramid(corner);
        let of = |p: &Vector2<f64>| Some(Height { height: other.height(p)?, error95: 0.02, common95: 0.02 });
        // over the ground the pyramid's upper half: an eighth of its 400 m³; under it the rest of a slab 1.5 m high
        let all = volume_between(&surface, &of, &[]);
        assert!((all.area - 400.0).abs() < 1.0, "{all:?}");
        assert!((all.below - 50.0).abs() < 0.2 && (all.above - (600.0 - 350.0)).abs() < 0.6, "{all:?}");
        // what is said of the other's heights is shared by all of it
        assert!(all.error95 > 0.02 * all.area && all.error95 < 0.021 * all.area, "{all:?}");
        let at = |x: f64, y: f64| corner + Vector2::new(x, y);
        let half = volume_between(&surface, &of, &[at(0.0, 0.0), at(20.0, 0.0), at(20.0, 28.0), at(0.0, 28.0)]);
        assert!((half.above - all.above / 2.0).abs() < 0.3 && (half.below - 25.0).abs() < 0.2, "{half:?}");
    }
}
