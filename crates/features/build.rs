//! Without a build script Cargo would not look at the build dependencies.

fn main() {}
