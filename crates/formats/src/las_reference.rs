use crate::crs;
use las::Header;
use las::crs::GeoTiffData;

/// What the header of a LAS file says of its coordinates.
pub(crate) struct Said {
    /// Metres in one unit of easting and northing, where it says so.
    pub unit: Option<f64>,
    /// Metres in one unit of height, where it says so apart.
    pub height_unit: Option<f64>,
    /// The reference, in words.
    pub words: String,
}

/// From well-known text (OGC 01-009, 18-010), else from GeoTIFF keys (OGC 19-008).
pub(crate) fn of(header: &Header) -> Option<Said> {
    // files that carry both say by a flag which counts; writers forget it, and then the text says more
    let text = header.get_wkt_crs_bytes().and_then(|b| wkt(&String::from_utf8_lossy(b)));
    text.or_else(|| keys(header))
}

fn wkt(text: &str) -> Option<Said> {
    let text = text.trim_end_matches(['\0', ' ', '\n']);
    let at = ["PROJCS[", "PROJCRS[", "PROJECTEDCRS["].iter().find_map(|k| text.find(k))?;
    let vertical = ["VERT_CS[", "VERTCRS[", "VERTICALCRS["].iter().find_map(|k| text.find(k));
    let name = text[at..].split('"').nth(1).unwrap_or("unnamed");
    let plan = crs::linear_unit(&text[at..]);
    let height = vertical.and_then(|v| crs::linear_unit(&text[v..]));
    Some(Said {
        unit: plan.map(|p| p.1),
        height_unit: height.map(|h| h.1),
        words: words(name, plan.map(|p| p.0), height.map(|h| h.0)),
    })
}

fn words(name: &str, plan: Option<&str>, height: Option<&str>) -> String {
    match (plan, height) {
        (Some(p), Some(h)) if p != h => format!("{name}, in {p}, heights in {h}"),
        (Some(p), _) => format!("{name}, in {p}"),
        _ => format!("{name}, unit not said"),
    }
}

/// Keys of a projected system and of the units of plan and height.
const PROJECTED: u16 = 3072;
const PLAN_UNIT: u16 = 3076;
const HEIGHT_UNIT: u16 = 4099;

fn keys(header: &Header) -> Option<Said> {
    let keys = header.get_geotiff_crs().ok().flatten()?;
    let short = |id: u16| {
        keys.entries.iter().find(|e| e.id == id).and_then(|e| match e.data {
            GeoTiffData::U16(v) => Some(v),
            _ => None,
        })
    };
    // EPSG codes of units
    let unit = |id: u16| match short(id)? {
        9001 => Some(("metre", 1.0)),
        9002 => Some(("foot", 0.3048)),
        9003 => Some(("US survey foot", 1200.0 / 3937.0)),
        _ => None,
    };
    let code = short(PROJECTED).filter(|c| (1024..32_767).contains(c));
    let known = code.and_then(|c| crs::lookup(c).ok());
    let plan = unit(PLAN_UNIT).or_else(|| known.as_ref().map(|k| (k.unit_name.as_str(), k.metres)));
    let height = unit(HEIGHT_UNIT);
    let name = match (&known, code) {
        (Some(k), Some(c)) => format!("EPSG:{c} {}", k.name),
        (None, Some(c)) => format!("EPSG:{c}"),
        _ => "a projection of the file's own".into(),
    };
    (code.is_some() || plan.is_some()).then(|| Said {
        unit: plan.map(|p| p.1),
        height_unit: height.map(|h| h.1),
        words: words(&name, plan.map(|p| p.0), height.map(|h| h.0)),
    })
}
