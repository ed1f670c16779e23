//! The typeset registration report.
