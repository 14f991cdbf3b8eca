//! Embeds the interface anew when it was built anew.

fn main() {
    println!("cargo::rerun-if-changed=../../web/dist");
    println!("cargo::rerun-if-changed=migrations");
}
