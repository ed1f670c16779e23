use crate::geometry::Vec3;
use nalgebra::Vector2;

/// A wall: a line on the plan, standing from base to top, thin.
#[derive(Clone, Debug, PartialEq)]
pub struct Wall {
    /// Caller's identifier.
    pub id: usize,
    /// Vertices on the plan, metres.
    pub line: Vec<Vector2<f64>>,
    /// Height of the foot, metres.
    pub base: f64,
    /// Height of the top, metres.
    pub top: f64,
    /// Point spacing the client wants on it, metres; `None` when it only blocks the view.
    pub required_spacing: Option<f64>,
}

/// An obstacle: a closed outline standing from base to top.
#[derive(Clone, Debug, PartialEq)]
pub struct Obstacle {
    /// Outline on the plan, metres; closed by itself.
    pub outline: Vec<Vector2<f64>>,
    /// Height of the foot, metres.
    pub base: f64,
    /// Height of the top, metres.
    pub top: f64,
}

/// What stands on the site.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Site {
    /// Walls.
    pub walls: Vec<Wall>,
    /// Obstacles.
    pub obstacles: Vec<Obstacle>,
}

/// A planned set-up.
#[derive(Clone, Debug, PartialEq)]
pub struct Station {
    /// Name.
    pub name: String,
    /// Centre of the instrument, metres.
    pub position: Vec3,
}

/// An upright rectangle that blocks the view.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Panel {
    /// One foot, on the plan.
    pub a: Vector2<f64>,
    /// The other foot.
    pub b: Vector2<f64>,
    /// Height of the lower edge, metres.
    pub base: f64,
    /// Height of the upper edge, metres.
    pub top: f64,
}

impl Site {
    /// All panels: one for each stretch of a wall and each side of an obstacle.
    pub fn panels(&self) -> Vec<Panel> {
        let walls = self
            .walls
            .iter()
            .flat_map(|w| w.line.windows(2).map(|p| Panel { a: p[0], b: p[1], base: w.base, top: w.top }));
        let obstacles = self.obstacles.iter().flat_map(|o| {
            let n = o.outline.len();
            (0..n).map(move |i| Panel { a: o.outline[i], b: o.outline[(i + 1) % n], base: o.base, top: o.top })
        });
        walls.chain(obstacles).collect()
    }
}
