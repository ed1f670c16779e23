//! Set-ups of a total station: where it stands by what it reads to known points, and the points that it found.

use crate::dto::{Brief, PolarPointDto, SetUpFoundDto, ShotDto, ShotsDto, SightLeftDto};
use crate::words::field as words;
use vistazo_core::field::{
    FineError, Known, PolarPoint, Reading, SetUp, SetUpError, SetUpRemark, Stand, fine_point, polar_point, set_up,
};
use vistazo_core::geometry::Vec3;
use vistazo_core::georef::Output;
use vistazo_formats::crs;
use vistazo_store::results::ControlRow;

/// A point whose three coordinates are known.
fn known(control: &[ControlRow], name: &str) -> Option<Known> {
    let named = |n: &str| n.trim().eq_ignore_ascii_case(name.trim());
    let c = control.iter().find(|c| named(&c.name) || c.target.as_deref().is_some_and(named))?;
    Some(Known {
        name: c.name.clone(),
        position: Vec3::new(c.e?, c.n?, c.h?),
        sigma: Vec3::new(c.sigma_e, c.sigma_n, c.sigma_v),
    })
}

/// Grid over ground where the points lie.
fn scale(brief: &Brief, at: &Vec3) -> f64 {
    if brief.output() == Output::Ground {
        return 1.0;
    }
    let map = brief.epsg.and_then(|e| crs::lookup(e).ok()?.map_at(at, brief.undulation.unwrap_or(0.0)).ok());
    map.and_then(|m| m.factors).map_or(1.0, |f| f.combined())
}

/// The reading of a shot: of the disc in its window where it has one.
fn reading(s: &ShotDto) -> Result<Reading, FineError> {
    if s.window.is_empty() { Ok(s.reading()) } else { fine_point(&s.window).map(|f| f.reading) }
}

/// A set-up with the marks that nobody knows, and the windows that show nothing.
struct Adjusted {
    found: Result<SetUp, SetUpError>,
    unknown: Vec<String>,
    windows: Vec<(String, FineError)>,
}

fn adjusted(brief: &Brief, control: &[ControlRow], s: &ShotsDto) -> Adjusted {
    let (mut unknown, mut windows, mut sights) = (Vec::new(), Vec::new(), Vec::new());
    let mut find = |name: &str| {
        let found = known(control, name);
        if found.is_none() {
            unknown.push(name.trim().to_owned());
        }
        found
    };
    let stand = match &s.over {
        Some(o) => find(&o.mark).map(|k| Stand::Over(k, o.height)),
        None => Some(Stand::Free),
    };
    for shot in s.shots.iter().filter(|s| !s.new) {
        match (find(&shot.name), reading(shot)) {
            (Some(k), Ok(r)) => sights.push((k, r)),
            (_, Err(e)) => windows.push((shot.name.clone(), e)),
            (None, Ok(_)) => {}
        }
    }
    let found = stand.ok_or(SetUpError::TooFew(0, 1)).and_then(|stand| {
        let at = sights.first().map_or_else(Vec3::zeros, |s| s.0.position);
        set_up(&stand, &sights, &s.accuracy(), scale(brief, &at))
    });
    Adjusted { found, unknown, windows }
}

/// A new point of a set-up by its name.
fn new_point(s: &ShotsDto, name: &str, from: &SetUp) -> Result<Option<PolarPoint>, FineError> {
    let Some(shot) = s.shots.iter().find(|x| x.new && x.name.trim().eq_ignore_ascii_case(name.trim())) else {
        return Ok(None);
    };
    Ok(polar_point(from, &reading(shot)?, &s.accuracy()))
}

fn sigma(p: &PolarPoint) -> Vec3 {
    p.covariance.diagonal().map(f64::sqrt)
}

/// What a set-up came out at.
pub(crate) fn came_out(brief: &Brief, control: &[ControlRow], s: &ShotsDto) -> SetUpFoundDto {
    let Adjusted { found, unknown, windows } = adjusted(brief, control, s);
    let mut said: Vec<String> = Vec::new();
    if !unknown.is_empty() {
        said.push(words::unknown_marks(&unknown));
    }
    said.extend(windows.iter().map(|(name, e)| words::window(name, *e)));
    let Ok(set_up) = &found else {
        said.extend(found.as_ref().err().map(|e| words::set_up_error(*e)));
        return SetUpFoundDto {
            position: None,
            sigma: None,
            sound: false,
            said,
            residuals: Vec::new(),
            points: Vec::new(),
        };
    };
    let reach = set_up.remarks.iter().find_map(|r| match r {
        SetUpRemark::Short(reach) => Some(*reach),
        _ => None,
    });
    let speaks = |r: &&SetUpRemark| !matches!(r, SetUpRemark::Short(_));
    let sound = said.is_empty() && !set_up.remarks.iter().any(|r| speaks(&r) && !matches!(r, SetUpRemark::Thin(_)));
    let deviation = Vec3::from_fn(|a, _| set_up.covariance[(a, a)].sqrt());
    said.insert(0, words::set_up_stands(brief, &deviation, set_up.covariance[(3, 3)].sqrt()));
    said.extend(set_up.remarks.iter().filter(speaks).map(|r| words::set_up_remark(brief, r)));
    let mut points = Vec::new();
    for shot in s.shots.iter().filter(|s| s.new) {
        match new_point(s, &shot.name, set_up) {
            Ok(Some(p)) => {
                let far = (p.position - set_up.position).xy().norm();
                points.push(PolarPointDto {
                    name: shot.name.clone(),
                    position: p.position.into(),
                    sigma: sigma(&p).into(),
                    said: words::polar_point(brief, &sigma(&p), !shot.window.is_empty(), reach.filter(|r| far > *r)),
                });
            }
            Ok(None) => said.push(words::no_distance(&shot.name)),
            Err(e) => said.push(words::window(&shot.name, e)),
        }
    }
    SetUpFoundDto {
        position: Some(set_up.position.into()),
        sigma: Some(deviation.into()),
        sound,
        said,
        residuals: set_up
            .residuals
            .iter()
            .map(|l| SightLeftDto { name: l.name.clone(), across: l.across, along: l.along, up: l.up })
            .collect(),
        points,
    }
}

/// A new point with its σ, to be taken as control; why not, where it cannot be.
pub(crate) fn point(brief: &Brief, control: &[ControlRow], s: &ShotsDto, name: &str) -> Result<(Vec3, Vec3), String> {
    let set_up = adjusted(brief, control, s).found.map_err(words::set_up_error)?;
    if let Some(r) = set_up.remarks.iter().find(|r| matches!(r, SetUpRemark::Unlike(..) | SetUpRemark::Torn(_))) {
        return Err(format!(
            "{}. Nothing of this set-up is control until that is mended",
            words::set_up_remark(brief, r)
        ));
    }
    match new_point(s, name, &set_up) {
        Ok(Some(p)) => Ok((p.position, sigma(&p))),
        Ok(None) => Err(format!("found no new point {name} with a distance in this set-up")),
        Err(e) => Err(words::window(name, e)),
    }
}
