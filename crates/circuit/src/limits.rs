//! How large a document may be. What lies beyond would take time or memory out of all proportion, so it
//! is refused before anything else looks at it.

use crate::document::Supply;
use crate::error::ReadError;

/// Farthest place from the origin of the drawing, in grid squares.
pub const FARTHEST: u32 = 10_000;
/// Longest value or expression, in characters.
const LONGEST_VALUE: usize = 2_000;
/// Longest designator, name of a net or title, in characters.
const LONGEST_NAME: usize = 200;

/// Holds a document to the limits.
///
/// # Errors
/// [`ReadError::Limit`] names what lies beyond.
pub fn hold(supply: &Supply) -> Result<(), ReadError> {
    let parts = supply.parts.iter().filter_map(|p| Some((p.id.clone(), p.at?.x, p.at?.y)));
    let notes = supply.texts.iter().enumerate().map(|(i, n)| (format!("note {}", i + 1), n.x, n.y));
    for (place, x, y) in parts.chain(notes) {
        if x.unsigned_abs().max(y.unsigned_abs()) > FARTHEST {
            let message = format!("it stands at {x}, {y}; places go from -{FARTHEST} to {FARTHEST}");
            return Err(ReadError::Limit { place, message });
        }
    }
    let named = supply.parts.iter().enumerate().flat_map(|(k, part)| {
        let names = std::iter::once(&part.id).chain(part.pins.values());
        names.map(move |name| (format!("part {}", k + 1), name))
    });
    for (place, name) in named {
        if name.len() > LONGEST_NAME {
            let begins: String = name.chars().take(20).collect();
            let message = format!(
                "“{begins}…” is {} characters long; designators and names of nets have up to {LONGEST_NAME}",
                name.len()
            );
            return Err(ReadError::Limit { place, message });
        }
    }
    let titled = std::iter::once(("the supply".to_owned(), &supply.title))
        .chain(supply.stages.iter().map(|s| (format!("stage {}", s.id), &s.title)))
        .chain(supply.studies.iter().map(|s| (format!("study {}", s.id), &s.title)))
        .chain(supply.readings.iter().map(|r| (format!("reading {}", r.id), &r.title)))
        .chain(supply.requirements.iter().map(|r| (format!("requirement {}", r.id), &r.title)))
        .chain(supply.outputs.iter().map(|o| (format!("output {}", o.id), &o.title)));
    for (place, title) in titled {
        let length = title.chars().count();
        if length > LONGEST_NAME {
            let message = format!("its title has {length} characters; titles have up to {LONGEST_NAME}");
            return Err(ReadError::Limit { place, message });
        }
    }
    let values = supply.values.iter().map(|v| (format!("design value {}", v.name), &v.value));
    let parameters = supply.parts.iter().flat_map(|p| {
        let named = p.parameters.iter().chain(&p.ratings);
        named.map(move |(name, text)| (format!("{} {name}", p.id), text))
    });
    let studies = supply.studies.iter().flat_map(|s| s.texts().map(move |text| (format!("study {}", s.id), text)));
    let shares = supply.derating.fields().into_iter();
    let shares = shares.filter_map(|(of, text)| Some((format!("derating of {of}"), text.as_ref()?)));
    for (place, text) in values.chain(parameters).chain(studies).chain(shares) {
        if text.len() > LONGEST_VALUE {
            let message = format!(
                "its value is {} characters long; up to {LONGEST_VALUE} are read, name parts of it as design values",
                text.len()
            );
            return Err(ReadError::Limit { place, message });
        }
    }
    Ok(())
}
