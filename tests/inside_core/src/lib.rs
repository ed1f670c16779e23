//! Nothing of its own: the tests inside of `vistazo-core` are built here, as `--test inside_core`.
