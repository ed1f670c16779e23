/// A camera on an instrument.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Camera {
    /// Pixels of the whole turn at the horizon.
    pub around: f64,
    /// Lowest elevation that its pictures reach, radians (negative).
    pub lowest: f64,
    /// Its centre over the axis of the instrument, metres.
    pub above: f64,
    /// Pictures for one turn at one exposure.
    pub pictures: u32,
    /// Seconds of each picture, turning included.
    pub each: f64,
}

impl Camera {
    /// Built into the instrument, near its axis.
    pub const BUILT_IN: Self = Self { around: 20_000.0, lowest: -0.96, above: 0.0, pictures: 15, each: 4.0 };
    /// Put on top of it, with a wide lens.
    pub const ADDED: Self = Self { around: 11_000.0, lowest: -0.7, above: 0.22, pictures: 6, each: 5.0 };
}

/// What photographs of one station cost, and what they give.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PhotographCost {
    /// Seconds.
    pub seconds: f64,
    /// Width of a pixel at the distance asked for, metres.
    pub pixel: f64,
    /// Radius of the floor round the tripod that gets no colour, metres.
    pub uncoloured: f64,
    /// How far the colour lies beside the point at the distance asked for, when the camera is not moved into the axis, metres.
    pub beside: f64,
}

/// What photographs cost with the instrument `height` metres over the floor, at `exposures` exposures each, and give at
/// `distance` metres.
///
/// ```
/// use vistazo_core::field::{Camera, photograph_cost};
/// let one = photograph_cost(&Camera::BUILT_IN, 1, 1.7, 10.0);
/// let three = photograph_cost(&Camera::BUILT_IN, 3, 1.7, 10.0);
/// assert_eq!(three.seconds, 3.0 * one.seconds);
/// assert!((one.pixel - 0.00314).abs() < 1e-4 && (1.1..1.3).contains(&one.uncoloured));
/// ```
pub fn photograph_cost(camera: &Camera, exposures: u32, height: f64, distance: f64) -> PhotographCost {
    PhotographCost {
        seconds: f64::from(camera.pictures * exposures.max(1)) * camera.each,
        pixel: distance * std::f64::consts::TAU / camera.around,
        uncoloured: (height + camera.above).max(0.0) / (-camera.lowest).tan().max(1e-3),
        // a thing before a wall takes the colour of the wall by the angle between both eyes
        beside: camera.above,
    }
}

/// What a room has to be for a check of a camera.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Room {
    /// Everything lies within reach.
    Closed,
    /// Its walls show texture.
    Textured,
    /// Nothing moves.
    Still,
    /// Nobody is in it.
    Empty,
}

/// What keeps a check of a camera from being valid.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum CameraDoubt {
    /// The room is open: far and near cannot be told.
    Open,
    /// Bare walls: nothing to find again.
    Bare,
    /// Something moved.
    Moving,
    /// Somebody was in it.
    Somebody,
    /// Nobody looked at the first scan.
    NotLooked,
    /// Colours lie so many pixels off.
    Off(f64),
}

/// Colours within so many pixels of their edges are right.
pub const COLOURS_FIT: f64 = 2.0;

/// What keeps a check of a camera from being valid, by what the room was and by how many pixels colours lie off edges in the
/// first scan (none while nobody looked); empty when it is valid.
pub fn camera_doubts(room: &[Room], off: Option<f64>) -> Vec<CameraDoubt> {
    let asked = [
        (Room::Closed, CameraDoubt::Open),
        (Room::Textured, CameraDoubt::Bare),
        (Room::Still, CameraDoubt::Moving),
        (Room::Empty, CameraDoubt::Somebody),
    ];
    let mut out: Vec<CameraDoubt> = asked.into_iter().filter(|a| !room.contains(&a.0)).map(|a| a.1).collect();
    match off {
        None => out.push(CameraDoubt::NotLooked),
        Some(off) if off.abs() > COLOURS_FIT || !off.is_finite() => out.push(CameraDoubt::Off(off)),
        Some(_) => {}
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_check_holds_only_in_a_room_that_shows_it() {
        let all = [Room::Closed, Room::Textured, Room::Still, Room::Empty];
        assert!(camera_doubts(&all, Some(1.2)).is_empty());
        assert_eq!(camera_doubts(&all[..3], Some(1.2)), [CameraDoubt::Somebody]);
        assert_eq!(camera_doubts(&all, Some(-3.0)), [CameraDoubt::Off(-3.0)]);
        assert_eq!(camera_doubts(&all, None), [CameraDoubt::NotLooked]);
        assert_eq!(camera_doubts(&[], None).len(), 5);
        let added = photograph_cost(&Camera::ADDED, 2, 1.7, 10.0);
        assert!(added.uncoloured > photograph_cost(&Camera::BUILT_IN, 1, 1.7, 10.0).uncoloured && added.beside > 0.2);
    }
}
