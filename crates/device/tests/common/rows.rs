//! Circuits written row by row; the tests of the other engine write theirs the same way.

use circuit::{Circuit, KindId, Part, Supply, resolve};

/// A part: designator, kind, nets in pin order, parameters.
pub type Row<'a> = (&'a str, KindId, &'a str, &'a [(&'a str, &'a str)]);

pub fn circuit(rows: &[Row<'_>]) -> Circuit {
    let mut supply = Supply::new("test");
    for (id, kind, nets, parameters) in rows {
        let pins = kind.kind().pins.iter().map(|p| p.id.to_owned()).zip(nets.split_whitespace().map(str::to_owned));
        let parameters = parameters.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
        supply.parts.push(Part { parameters, ..Part::new(*id, *kind, pins.collect()) });
    }
    resolve(&supply).unwrap_or_else(|findings| panic!("{findings:#?}"))
}
