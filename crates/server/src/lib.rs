//! The web application: routes, tasks, sign-in, and the program itself.
