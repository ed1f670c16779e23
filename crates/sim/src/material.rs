use vistazo_core::geometry::Vec3;

/// What a surface of a scene is made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Material {
    /// Brick with its courses above a plinth, weathered towards the ground.
    Brick,
    /// A fence of upright boards.
    Fence,
    /// Planks that lie one on another.
    Planks,
    /// Plaster.
    Plaster,
    /// Painted iron.
    Iron,
    /// Concrete slabs within, a turntable with its rails in the middle, gravel beyond.
    Ground,
}

impl Material {
    /// Red, green, blue of it at a place, 0 to 255. `foot` is the height of the ground there, metres.
    pub(crate) fn colour(self, at: &Vec3, foot: f64) -> Colour {
        match self {
            Self::Brick => brick(at, at.z - foot),
            Self::Fence => {
                let board = (along(at) / 0.12).floor();
                let gap = if joint(along(at), 0.12) < 0.01 { -0.45 } else { 0.0 };
                spread(BOARD, 0.12 * grain(board, 7.0) + gap)
            }
            Self::Planks => {
                let plank = (at.z / 0.14).floor();
                let gap = if joint(at.z, 0.14) < 0.008 { -0.5 } else { 0.0 };
                spread(PLANK, 0.16 * grain(plank, 3.0) + gap)
            }
            Self::Plaster => spread(PLASTER, 0.03 * grain((at.x / 0.8).floor(), (at.y / 0.8).floor())),
            Self::Iron => spread(IRON, 0.1 * grain((at.z * 9.0).floor(), 1.0)),
            Self::Ground => ground(at),
        }
    }

    /// The share of the light that comes back at right angles: what is bright to the eye is bright to the beam.
    pub(crate) fn albedo(self, at: &Vec3, foot: f64) -> f64 {
        let [r, g, b] = self.colour(at, foot);
        (0.299 * r + 0.587 * g + 0.114 * b) / 255.0
    }
}

type Colour = [f64; 3];
const PLINTH: Colour = [118.0, 114.0, 108.0];
const BRICK: Colour = [146.0, 78.0, 58.0];
const MORTAR: Colour = [168.0, 158.0, 142.0];
const BOARD: Colour = [128.0, 118.0, 104.0];
const PLANK: Colour = [150.0, 112.0, 68.0];
const PLASTER: Colour = [206.0, 200.0, 188.0];
const IRON: Colour = [62.0, 84.0, 74.0];
const RAIL: Colour = [96.0, 90.0, 86.0];
const TABLE_DECK: Colour = [104.0, 96.0, 84.0];
const CONCRETE: Colour = [158.0, 152.0, 142.0];
const GRAVEL: Colour = [134.0, 126.0, 112.0];
/// The wall stands on a plinth so high, metres.
const PLINTH_HEIGHT: f64 = 0.6;
/// Radius of the turntable, metres.
const TABLE: f64 = 7.0;
/// Concrete lies north of here, metres.
const YARD: f64 = -4.0;

/// A number between -1 and 1 that belongs to a place.
fn grain(a: f64, b: f64) -> f64 {
    let v = (a * 127.1 + b * 311.7).sin() * 43_758.545;
    2.0 * (v - v.floor()) - 1.0
}

/// How near the next joint of a pattern is, 0 on it, to half its width.
fn joint(x: f64, width: f64) -> f64 {
    let r = x.rem_euclid(width);
    r.min(width - r)
}

fn spread(base: Colour, by: f64) -> Colour {
    base.map(|v| v * (1.0 + by))
}

/// Along whichever axis a wall runs more.
fn along(at: &Vec3) -> f64 {
    at.x + at.y * 0.618
}

fn brick(at: &Vec3, over: f64) -> Colour {
    let along = along(at);
    if over < PLINTH_HEIGHT {
        return spread(PLINTH, 0.08 * grain((along / 0.6).floor(), (at.z / 0.3).floor()));
    }
    let course = (at.z / 0.077).floor();
    let shift = if course.rem_euclid(2.0) < 1.0 { 0.0 } else { 0.125 };
    let mortar = joint(at.z, 0.077) < 0.006 || joint(along + shift, 0.25) < 0.006;
    let damp = -0.18 * (-over / 1.2).exp();
    if mortar {
        spread(MORTAR, damp)
    } else {
        spread(BRICK, damp + 0.18 * grain(((along + shift) / 0.25).floor(), course))
    }
}

fn ground(at: &Vec3) -> Colour {
    let (x, y) = (at.x, at.y);
    let r = x.hypot(y);
    let rail = |d: f64| d.abs() < 0.04;
    let azimuth = y.atan2(x);
    // tracks from the table into the bays, every 22 degrees, 1.435 m apart
    let bay = (azimuth.to_degrees() - 90.0) / 22.0;
    let across = (bay - bay.round()).to_radians() * 22.0 * r;
    let track = y > -3.0 && (rail(across - 0.7175) || rail(across + 0.7175));
    if r < TABLE && (rail(r - 6.6) || rail(x - 0.7175) || rail(x + 0.7175)) || (TABLE..24.0).contains(&r) && track {
        return RAIL;
    }
    let fine = 0.10 * grain((x * 40.0).floor(), (y * 40.0).floor());
    if r < TABLE {
        return spread(TABLE_DECK, fine + 0.08 * grain((y / 0.25).floor(), 5.0));
    }
    if y > YARD {
        let slab = 0.05 * grain((x / 3.0).floor(), (y / 3.0).floor());
        let gap = if joint(x, 3.0) < 0.015 || joint(y, 3.0) < 0.015 { -0.3 } else { 0.0 };
        return spread(CONCRETE, slab + gap + 0.5 * fine);
    }
    spread(GRAVEL, 2.2 * fine)
}
