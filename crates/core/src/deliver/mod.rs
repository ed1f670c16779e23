//! The rules of handing over: who may sign, and what makes a package out of date.

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
