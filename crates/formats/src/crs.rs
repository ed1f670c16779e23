//! Coordinate references by EPSG code.

/// A projected coordinate reference.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Reference {
    /// Its name.
    pub name: String,
    /// Its definition as WKT 1.
    pub wkt: String,
}

/// Looks up an EPSG code.
///
/// # Errors
/// In words, when the code is unknown or not a projected system: error is in metres or feet, so
/// degrees cannot be used here.
pub fn lookup(code: u16) -> Result<Reference, String> {
    let def = crs_definitions::from_code(code).ok_or_else(|| format!("EPSG:{code} is not known; expected the code of a projected coordinate system, for example 25832, or a local grid"))?;
    let name = def.wkt.split('"').nth(1).unwrap_or("").to_owned();
    if !def.wkt.starts_with("PROJCS") {
        return Err(format!(
            "EPSG:{code} ({name}) is not a projected system; expected one with eastings and northings"
        ));
    }
    Ok(Reference { name, wkt: def.wkt.to_owned() })
}
