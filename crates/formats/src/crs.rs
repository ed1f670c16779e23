//! Coordinate references by EPSG code, and what their grid does to lengths at a place.

use proj4rs::Proj;
use proj4rs::transform::transform;
use vistazo_core::geometry::Vec3;
use vistazo_core::georef::{GridFactors, GridMap};
use vistazo_core::units::LengthUnit;

/// Why a coordinate reference cannot be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum CrsError {
    /// Not in the register.
    #[error(
        "EPSG:{0} is not known; expected the code of a projected coordinate system, for example 25832, or a local grid"
    )]
    Unknown(u16),
    /// Not projected.
    #[error("EPSG:{code} ({name}) is not a projected system; expected one with eastings and northings")]
    NotProjected {
        /// The code.
        code: u16,
        /// Its name.
        name: String,
    },
    /// A projection that cannot be computed.
    #[error(
        "the projection of EPSG:{code} cannot be computed here ({why}); expected another reference, or a local grid"
    )]
    Projection {
        /// The code.
        code: u16,
        /// What the library says.
        why: String,
    },
    /// A place outside the projection.
    #[error("E {0}, N {1} (metres) is no place of EPSG:{2}: are easting and northing swapped, or the unit wrong?")]
    Outside(i64, i64, u16),
}

/// A projected coordinate reference.
#[derive(Clone, Debug, PartialEq)]
pub struct Reference {
    /// Its EPSG code.
    pub code: u16,
    /// Its name.
    pub name: String,
    /// Its definition as WKT 1.
    pub wkt: String,
    /// Metres in its unit.
    pub metres: f64,
    /// Name of its unit, as the definition writes it.
    pub unit_name: String,
    /// Name of its vertical reference, when it has one.
    pub vertical: Option<String>,
    proj: String,
}

/// Looks up an EPSG code.
///
/// # Errors
/// When the code is unknown or not of a projected system: errors are in metres or feet, so degrees
/// cannot be used here.
///
/// ```
/// let r = vistazo_formats::crs::lookup(25832).unwrap();
/// assert_eq!((r.name.as_str(), r.metres), ("ETRS89 / UTM zone 32N", 1.0));
/// assert!(vistazo_formats::crs::lookup(4326).is_err());
/// ```
pub fn lookup(code: u16) -> Result<Reference, CrsError> {
    let def = crs_definitions::from_code(code).ok_or(CrsError::Unknown(code))?;
    let name = def.wkt.split('"').nth(1).unwrap_or("").to_owned();
    let Some(at) = def.wkt.find("PROJCS[") else { return Err(CrsError::NotProjected { code, name }) };
    let vertical = def.wkt.find("VERT_CS[").and_then(|v| def.wkt[v..].split('"').nth(1)).map(str::to_owned);
    let (unit_name, metres) = linear_unit(&def.wkt[at..]).unwrap_or(("metre", 1.0));
    Ok(Reference {
        code,
        name,
        wkt: def.wkt.to_owned(),
        metres,
        unit_name: unit_name.to_owned(),
        vertical,
        proj: without_datum(def.proj4),
    })
}

/// The unit of a projected system: the last one at its own level, after those of its angles.
pub(crate) fn linear_unit(projcs: &str) -> Option<(&str, f64)> {
    let (mut depth, mut found) = (0, None);
    for (i, c) in projcs.char_indices() {
        match c {
            '[' => depth += 1,
            ']' => {
                depth -= 1;
                if depth == 0 {
                    break;
                }
            }
            'U' if depth == 1 && projcs[i..].starts_with("UNIT[") => {
                let mut parts = projcs[i + 5..].splitn(3, ['"', ',']).filter(|p| !p.is_empty());
                let name = projcs[i..].split('"').nth(1)?;
                let _ = parts.next();
                let value = projcs[i..].split('"').nth(2)?.trim_start_matches(',');
                let end = value.find([',', ']'])?;
                found = Some((name, value[..end].trim().parse().ok()?));
            }
            _ => {}
        }
    }
    found
}

/// The definition on its own ellipsoid: coordinates stay in their datum, nothing is shifted.
fn without_datum(proj: &str) -> String {
    let ellipsoid = |datum: &str| match datum {
        "WGS84" => "WGS84",
        "NAD27" => "clrk66",
        "potsdam" | "hermannskogel" => "bessel",
        "carthage" => "clrk80ign",
        "ire65" => "mod_airy",
        "nzgd49" => "intl",
        "OSGB36" => "airy",
        _ => "GRS80",
    };
    let parts = proj.split_whitespace().filter_map(|p| {
        if let Some(datum) = p.strip_prefix("+datum=") {
            Some(format!("+ellps={}", ellipsoid(datum)))
        } else if p.starts_with("+towgs84=") || p.starts_with("+nadgrids=") || p.starts_with("+vunits=") {
            None
        } else {
            Some(p.to_owned())
        }
    });
    parts.collect::<Vec<_>>().join(" ")
}

impl Reference {
    /// The unit of the reference among those that are offered, when it is one of them.
    pub fn unit(&self) -> Option<LengthUnit> {
        LengthUnit::ALL.into_iter().find(|u| (u.metres() / self.metres - 1.0).abs() < 1e-9)
    }

    /// What coordinates of this reference at `grid` (metres) would be off if they were written in
    /// another unit, metres.
    pub fn cost_of(&self, unit: LengthUnit, grid: &Vec3) -> f64 {
        grid.xy().norm() * (unit.metres() / self.metres - 1.0).abs()
    }

    /// The definition with its lengths in metres, for formats whose coordinates are metres by their
    /// standard.
    pub fn wkt_in_metres(&self) -> String {
        if (self.metres - 1.0).abs() < 1e-12 {
            return self.wkt.clone();
        }
        let mut out = self.wkt.replacen(&format!("\"{}\"", self.name), &format!("\"{} (in metres)\"", self.name), 1);
        for parameter in ["false_easting", "false_northing"] {
            let head = format!("PARAMETER[\"{parameter}\",");
            if let Some(at) = out.find(&head) {
                let start = at + head.len();
                if let Some(end) = out[start..].find(']')
                    && let Ok(value) = out[start..start + end].trim().parse::<f64>()
                {
                    out.replace_range(start..start + end, &format!("{}", value * self.metres));
                }
            }
        }
        if let Some(at) = out.rfind(&format!("UNIT[\"{}\"", self.unit_name)) {
            // up to the bracket that closes it
            let mut depth = 0;
            let end = out[at..].char_indices().find(|(_, c)| {
                depth += i32::from(*c == '[') - i32::from(*c == ']');
                *c == ']' && depth == 0
            });
            if let Some((len, _)) = end {
                out.replace_range(at..=at + len, "UNIT[\"metre\",1]");
            }
        }
        // the code is of the definition in its own unit
        let code = format!(",AUTHORITY[\"EPSG\",\"{}\"]", self.code);
        out.replace(&code, "")
    }

    /// The map from local metres to the grid about a place, by the projection, the height above the
    /// ellipsoid and the curvature of the earth.
    ///
    /// `grid` is E, N and H of the place in metres; `undulation` the height of the geoid over the
    /// ellipsoid there, metres, 0 when heights are ellipsoidal or it is not known (6 m are 1 ppm).
    ///
    /// # Errors
    /// When the projection cannot be computed, or the place is not one of it.
    pub fn map_at(&self, grid: &Vec3, undulation: f64) -> Result<GridMap, CrsError> {
        let fault = |why: &dyn std::fmt::Display| CrsError::Projection { code: self.code, why: why.to_string() };
        let proj = Proj::from_proj_string(&self.proj).map_err(|e| fault(&e))?;
        let (a, b) = proj.ellipse_parameters();
        let globe = Proj::from_proj_string(&format!("+proj=longlat +a={a} +b={b} +no_defs")).map_err(|e| fault(&e))?;
        let outside = || CrsError::Outside(grid.x as i64, grid.y as i64, self.code);
        let mut here = (grid.x / self.metres, grid.y / self.metres, 0.0);
        transform(&proj, &globe, &mut here).map_err(|_| outside())?;
        let (lon, lat, height) = (here.0, here.1, grid.z + undulation);
        let e2 = 1.0 - (b / a).powi(2);
        let earth = Ellipsoid { a, e2 };
        let middle = earth.to_space(lon, lat, height);
        let ((sl, cl), (sp, cp)) = (lon.sin_cos(), lat.sin_cos());
        let axes = [Vec3::new(-sl, cl, 0.0), Vec3::new(-sp * cl, -sp * sl, cp), Vec3::new(cp * cl, cp * sl, sp)];
        let forward = |enu: &Vec3| -> Vec3 {
            let p = middle + axes[0] * enu.x + axes[1] * enu.y + axes[2] * enu.z;
            let (lon, lat, h) = earth.to_surface(&p);
            let mut out = (lon, lat, 0.0);
            if transform(&globe, &proj, &mut out).is_err() {
                return Vec3::repeat(f64::NAN);
            }
            Vec3::new(out.0 * self.metres, out.1 * self.metres, h - undulation)
        };
        // where true north lies on the grid
        let step = 100.0;
        let north = (forward(&Vec3::new(0.0, step, 0.0)) - forward(&Vec3::new(0.0, -step, 0.0))) / (2.0 * step);
        let convergence = (-north.x).atan2(north.y);
        let (s, c) = convergence.sin_cos();
        let exact = |p: &Vec3| forward(&Vec3::new(p.x * c + p.y * s, p.y * c - p.x * s, p.z));
        let (m, n) = earth.radii(lat);
        let height_factor = (m * n / ((m + height) * (n + height))).sqrt();
        let mut map = GridMap::from_exact(*grid, GridFactors { point_scale: 1.0, height_factor, convergence }, exact);
        let plan = map.linear.fixed_view::<2, 2>(0, 0).determinant().sqrt();
        // no grid in use stretches lengths by a hundredth: far outside its zone a projection is no grid
        if !(0.97..1.03).contains(&plan) || !map.quadratic.iter().all(|q| q.iter().all(|v| v.is_finite())) {
            return Err(outside());
        }
        map.factors = Some(GridFactors { point_scale: plan / height_factor, height_factor, convergence });
        Ok(map)
    }
}

struct Ellipsoid {
    a: f64,
    e2: f64,
}

impl Ellipsoid {
    /// Radii of curvature along the meridian and across it, metres.
    fn radii(&self, lat: f64) -> (f64, f64) {
        let w = 1.0 - self.e2 * lat.sin().powi(2);
        (self.a * (1.0 - self.e2) / w.powf(1.5), self.a / w.sqrt())
    }

    fn to_space(&self, lon: f64, lat: f64, h: f64) -> Vec3 {
        let (_, n) = self.radii(lat);
        let ((sl, cl), (sp, cp)) = (lon.sin_cos(), lat.sin_cos());
        Vec3::new((n + h) * cp * cl, (n + h) * cp * sl, (n * (1.0 - self.e2) + h) * sp)
    }

    /// Longitude, latitude (radians) and height (metres) of a point in space, iterated (Heiskanen &
    /// Moritz 1967) until nothing changes.
    fn to_surface(&self, p: &Vec3) -> (f64, f64, f64) {
        let r = p.xy().norm();
        let mut lat = (p.z / (r * (1.0 - self.e2))).atan();
        let mut h = 0.0;
        for _ in 0..12 {
            let (_, n) = self.radii(lat);
            let (s, c) = lat.sin_cos();
            h = if c.abs() > 0.5 { r / c - n } else { p.z / s - n * (1.0 - self.e2) };
            let next = (p.z / (r * (1.0 - self.e2 * n / (n + h)))).atan();
            if (next - lat).abs() < 1e-15 {
                lat = next;
                break;
            }
            lat = next;
        }
        (p.y.atan2(p.x), lat, h)
    }
}
