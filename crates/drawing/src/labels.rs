use crate::{DrawnNet, DrawnPart, Spot, is_ground};
use circuit::Part;
use circuit::kinds::Form;
use quantity::show;

/// Designator and headline values of a part; values as typed if they cannot be evaluated.
pub(crate) fn label(part: &Part, values: Option<&[f64]>) -> Vec<String> {
    let mut lines = vec![part.id.clone()];
    let kind = part.kind.kind();
    for (index, parameter) in kind.parameters.iter().enumerate().filter(|(_, p)| p.headline) {
        let Form::Quantity { unit, meant_as, .. } = &parameter.form else { continue };
        let shown = match values.and_then(|v| v.get(index)) {
            Some(value) => show(*value, *unit, 4),
            None => part.parameters.get(parameter.id).cloned().unwrap_or_default(),
        };
        // An amplitude is never bare: RMS, peak or peak-to-peak stands with it.
        let meant = meant_as.and_then(|choice| {
            let index = kind.parameter(choice)?;
            let Form::Choice { options, default } = &kind.parameters[index].form else { return None };
            let chosen = part.parameters.get(choice).map_or(*default, String::as_str);
            options.iter().find(|(id, _)| *id == chosen).map(|(_, name)| *name)
        });
        lines.push(match meant {
            Some(meant) => format!("{shown} {meant}"),
            None => shown,
        });
    }
    lines
}

/// Room a character and a line take, in grid squares.
const CHARACTER: f64 = 0.68;
const LINE: f64 = 1.25;

/// A box on the drawing: left, top, right, bottom.
type Box = (f64, f64, f64, f64);

fn overlap(a: Box, b: Box) -> bool {
    a.0 < b.2 && b.0 < a.2 && a.1 < b.3 && b.1 < a.3
}

fn text_box((x, y): (f64, f64), lines: &[&str]) -> Box {
    let longest = lines.iter().map(|l| l.chars().count()).max().unwrap_or(0) as f64;
    (x, y - 1.0, x + CHARACTER * longest, y + LINE * (lines.len() as f64 - 1.0) + 0.2)
}

fn wire_box((a, b): (Spot, Spot)) -> Box {
    (f64::from(a.x) - 0.1, f64::from(a.y) - 0.1, f64::from(b.x) + 0.1, f64::from(b.y) + 0.1)
}

/// Puts each net's name beside its longest level wire, where it covers nothing.
pub(crate) fn place_names(nets: &mut [DrawnNet], parts: &[DrawnPart]) {
    let mut taken: Vec<Box> = Vec::new();
    for part in parts {
        let lines: Vec<&str> = part.label.iter().map(String::as_str).collect();
        taken.push(text_box(part.label_at, &lines));
        let (xs, ys) = (part.pins.iter().map(|(_, s)| s.x), part.pins.iter().map(|(_, s)| s.y));
        let (left, right) = (xs.clone().min().unwrap_or(part.at.x), xs.max().unwrap_or(part.at.x));
        let (top, bottom) = (ys.clone().min().unwrap_or(part.at.y), ys.max().unwrap_or(part.at.y));
        let [left, top, right, bottom] = [left - 1, top, right + 1, bottom].map(f64::from);
        taken.push((left, top, right, bottom));
    }
    taken.extend(nets.iter().flat_map(|net| net.wires.iter().map(|wire| wire_box(*wire))));
    for net in nets.iter_mut().filter(|net| !is_ground(&net.net)) {
        let mut level: Vec<(Spot, Spot)> = net.wires.iter().copied().filter(|(a, b)| a.y == b.y).collect();
        level.sort_by_key(|(a, b)| (a.x - b.x, a.y));
        let places = level.iter().flat_map(|(a, b)| {
            let y = f64::from(a.y);
            // Halves of squares from the left end, above the wire before below it.
            [y - 0.35, y + 1.2]
                .into_iter()
                .flat_map(move |y| (2 * a.x + 1..2 * b.x).map(move |x| (f64::from(x) / 2.0, y)))
        });
        let free = places.into_iter().find(|at| {
            let text = text_box(*at, &[&net.net]);
            !taken.iter().any(|other| overlap(text, *other))
        });
        let first = level.first().or(net.wires.first()).map(|(a, _)| (f64::from(a.x), f64::from(a.y) - 0.35));
        net.label_at = free.or(first);
        if let Some(at) = net.label_at {
            taken.push(text_box(at, &[&net.net]));
        }
    }
}
