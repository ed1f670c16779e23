/// Why a file cannot be read or written.
#[derive(Debug, thiserror::Error)]
pub enum FormatError {
    /// The kind of file is not known.
    #[error("the file does not look like E57, LAS, LAZ, PLY or XYZ text: {0}")]
    UnknownKind(String),
    /// Nothing in it.
    #[error("the file is empty: expected a scan as E57, LAS, LAZ, PLY or XYZ text")]
    Empty,
    /// It claims more than it can hold, or stops short.
    #[error("the file is damaged or cut short: {0}")]
    Damaged(String),
    /// Larger than is accepted.
    #[error("the file holds {found} points; at most {limit} are accepted in one scan")]
    TooLarge {
        /// Points found.
        found: u64,
        /// Points accepted.
        limit: u64,
    },
    /// A line of text is wrong.
    #[error("line {line}, column {column}: found {found}, expected {expected}")]
    Line {
        /// Line, from 1.
        line: usize,
        /// Column (field), from 1.
        column: usize,
        /// What is there.
        found: String,
        /// What should be there.
        expected: String,
    },
    /// Whoever asked for the reading wanted no more.
    #[error("the reading was stopped")]
    Stopped,
    /// The points do not make a scan.
    #[error("{0}")]
    Scan(#[from] vistazo_core::scan::ScanError),
    /// Reading or writing failed below.
    #[error("the file could not be read or written: {0}")]
    Io(#[from] std::io::Error),
}

impl From<e57::Error> for FormatError {
    fn from(e: e57::Error) -> Self {
        Self::Damaged(e.to_string())
    }
}

impl From<las::Error> for FormatError {
    fn from(e: las::Error) -> Self {
        Self::Damaged(e.to_string())
    }
}
