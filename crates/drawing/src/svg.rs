//! A drawing as a picture file that needs nothing else.

use crate::drawn::{Drawing, DrawnNet, DrawnPart};
use crate::symbol;
use std::fmt::Write;

/// Size of a grid square in the picture, px.
const SQUARE: i32 = 10;
/// Ink, and the quieter ink of values and net names.
const INK: &str = "#1F2933";
const MUTED: &str = "#5F6B7A";
const NET: &str = "#0E7C7B";

/// Writing into a text cannot fail, so what it returns says nothing.
macro_rules! put {
    ($text:expr, $($piece:tt)*) => {
        let _ = writeln!($text, $($piece)*);
    };
}

/// Grid squares between the lines of a note.
const NOTE_LINE: f64 = 1.45;

/// The drawing as SVG, in ink on nothing.
pub fn svg(drawing: &Drawing) -> String {
    let Drawing { from, to, parts, nets, notes, .. } = drawing;
    let (width, height) = (to.x - from.x, to.y - from.y);
    let mut text = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{}\" height=\"{}\" viewBox=\"{} {} {width} {height}\" \
         fill=\"none\" stroke=\"{INK}\" stroke-width=\"0.14\" stroke-linecap=\"round\" stroke-linejoin=\"round\" \
         font-family=\"'Atkinson Hyperlegible Next', sans-serif\" font-size=\"1.15\">\n",
        width * SQUARE,
        height * SQUARE,
        from.x,
        from.y,
    );
    nets.iter().for_each(|net| wires(&mut text, net));
    parts.iter().for_each(|part| drawn(&mut text, part));
    for note in notes {
        for (k, line) in note.lines.iter().enumerate() {
            let y = f64::from(note.at.y) + NOTE_LINE * k as f64;
            put!(
                text,
                "<text x=\"{}\" y=\"{y}\" font-style=\"italic\" fill=\"{MUTED}\" stroke=\"none\">{}</text>",
                note.at.x,
                escaped(line)
            );
        }
    }
    text + "</svg>\n"
}

fn wires(text: &mut String, net: &DrawnNet) {
    for (a, b) in &net.wires {
        put!(text, "<path d=\"M{} {} L{} {}\"/>", a.x, a.y, b.x, b.y);
    }
    for spot in &net.junctions {
        put!(text, "<circle cx=\"{}\" cy=\"{}\" r=\"0.25\" fill=\"{INK}\" stroke=\"none\"/>", spot.x, spot.y);
    }
    if let Some(at) = net.ground_at {
        put!(text, "<path d=\"M{} {} v1 m-1 0 h2 m-1.6 0.4 h1.2 m-0.9 0.4 h0.6\"/>", at.x, at.y);
    }
    if let Some((x, y)) = net.label_at {
        let name = escaped(&net.text());
        put!(text, "<text x=\"{x}\" y=\"{y}\" font-size=\"1.05\" fill=\"{NET}\" stroke=\"none\">{name}</text>");
    }
}

fn drawn(text: &mut String, part: &DrawnPart) {
    let mirror = if part.mirror { -1 } else { 1 };
    put!(text, "<g transform=\"translate({} {}) rotate({}) scale({mirror} 1)\">", part.at.x, part.at.y, part.turn);
    for shape in symbol(part.kind).shapes {
        let how = match (shape.filled, shape.upright) {
            (true, _) => format!(" fill=\"{INK}\" stroke=\"none\""),
            (false, true) => format!(" transform=\"scale({mirror} 1) rotate({})\"", -part.turn),
            (false, false) => String::new(),
        };
        put!(text, "<path d=\"{}\"{how}/>", shape.path);
    }
    put!(text, "</g>");
    for (k, line) in part.label.iter().enumerate() {
        let (weight, fill) = if k == 0 { (600, INK) } else { (400, MUTED) };
        put!(
            text,
            "<text x=\"{}\" y=\"{}\" font-weight=\"{weight}\" fill=\"{fill}\" stroke=\"none\">{}</text>",
            part.label_at.0,
            part.label_at.1 + crate::labels::LINE * k as f64,
            escaped(line)
        );
    }
}

fn escaped(text: &str) -> String {
    // XML has no way to write most control characters.
    let text: String = text.chars().filter(|c| !c.is_control()).collect();
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}
