//! Nothing of its own: the tests inside of `vistazo-server` are built here, as `--test inside_server`.
