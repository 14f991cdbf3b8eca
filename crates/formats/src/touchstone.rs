//! Impedances as Touchstone files.

use crate::table::Data;
use std::fmt::Write;

/// A one-port impedance in Ω, at frequencies in Hz, by its real and imaginary part (Touchstone File Format Specification,
/// version 2.0, IBIS Open Forum, 2009).
pub fn touchstone(title: &str, frequencies: &[f64], impedance: &[(f64, f64)]) -> Data {
    let title = title.replace(['\r', '\n'], " ");
    let count = frequencies.len();
    let mut text = format!(
        "! {title}\n[Version] 2.0\n# Hz Z RI R 1\n[Number of Ports] 1\n[Number of Frequencies] {count}\n[Reference] 1\n\
         [Network Data]\n"
    );
    for (frequency, (re, im)) in frequencies.iter().zip(impedance) {
        // Writing into a text does not fail.
        let _ = writeln!(text, "{frequency:e} {re:e} {im:e}");
    }
    text.push_str("[End]\n");
    text.into_bytes()
}
