//! The rules of handing over: what can be asked for, who may sign.

/// Why a package cannot be signed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum SignError {
    /// The same person in both places.
    #[error("the checker must be another person than the preparer")]
    SamePerson,
    /// Checked before prepared.
    #[error("the preparer signs first")]
    NotPrepared,
    /// Signed already.
    #[error("this place is signed already")]
    Signed,
}

/// Which of the two signatures.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Signature {
    /// Who prepared the package.
    Prepared,
    /// Who checked it.
    Checked,
}

/// Whether `who` may sign now, given who has signed already.
///
/// # Errors
/// [`SignError`] with the rule that stands against it.
///
/// ```
/// use vistazo_core::deliver::{may_sign, SignError, Signature};
/// assert_eq!(may_sign(Signature::Checked, "ann", Some("ann"), None), Err(SignError::SamePerson));
/// assert!(may_sign(Signature::Checked, "ben", Some("ann"), None).is_ok());
/// ```
pub fn may_sign(place: Signature, who: &str, prepared: Option<&str>, checked: Option<&str>) -> Result<(), SignError> {
    match place {
        Signature::Prepared if prepared.is_some() => Err(SignError::Signed),
        Signature::Checked if checked.is_some() => Err(SignError::Signed),
        Signature::Checked if prepared.is_none() => Err(SignError::NotPrepared),
        Signature::Checked if prepared == Some(who) => Err(SignError::SamePerson),
        _ => Ok(()),
    }
}

/// What a client may ask for beside the report, the coordinates and the manifest, which every package has.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Deliverable {
    /// Clouds as LAZ 1.4.
    Laz,
    /// Clouds as LAZ 1.4 with an index (COPC).
    Copc,
    /// Clouds as E57, scan by scan with poses.
    E57,
    /// Clouds as PLY.
    Ply,
    /// Clouds as text.
    Xyz,
    /// Clouds as 3D Tiles with glTF.
    Tiles,
    /// A page of panoramas, plan and cloud that opens by itself.
    WalkThrough,
    /// Floor plans.
    FloorPlans,
    /// Pictures of elevations.
    Elevations,
    /// The ground: surface, contours, heights.
    Ground,
    /// Coded points and lines, floor levels.
    Features,
    /// Simple solids: walls, pillars, columns and pipes.
    Solids,
}

impl Deliverable {
    /// All of them.
    pub const ALL: [Self; 12] = [
        Self::Laz,
        Self::Copc,
        Self::E57,
        Self::Ply,
        Self::Xyz,
        Self::Tiles,
        Self::WalkThrough,
        Self::FloorPlans,
        Self::Elevations,
        Self::Ground,
        Self::Features,
        Self::Solids,
    ];

    /// Whether somebody has to draw it before a package can hold it; clouds are written when it is made.
    pub fn is_drawn(self) -> bool {
        matches!(self, Self::FloorPlans | Self::Elevations | Self::Ground | Self::Features | Self::Solids)
    }
}
