//! What is asked over frequency, with what it names looked up.

use crate::resolved::{ResolvedAsk, ResolvedQuestion, ResolvedTones};
use crate::{Asks, FrequencyQuestion, GND, KindId, Quantity, Signal, Study, Supply, Tones};
use quantity::Unit;

/// Every question of a study; one that names what is not there says so, and is no reason not to answer the others.
pub(crate) fn questions(
    supply: &Supply,
    study: &Study,
    tones: &mut dyn FnMut(&FrequencyQuestion, &Tones, Unit) -> ResolvedTones,
) -> Vec<ResolvedQuestion> {
    let mut question = |q: &FrequencyQuestion| {
        let asks = asked(supply, &q.asks);
        let unit = asks.as_ref().map_or(Unit::One, |asks| unit(supply, asks));
        let shaken = asks.as_ref().map_or(Unit::Volt, |asks| shaken_in(supply, asks));
        let tones = q.tones.as_ref().map(|stated| tones(q, stated, shaken));
        ResolvedQuestion { id: q.id.clone(), kind: q.asks.kind(), unit, asks, tones }
    };
    study.questions().iter().map(&mut question).collect()
}

/// What a tone is in.
fn shaken_in(supply: &Supply, asks: &ResolvedAsk) -> Unit {
    let driven = |source: &str| supply.part(source).is_some_and(|part| part.kind == KindId::CurrentSource);
    match asks {
        ResolvedAsk::OutputImpedance { .. } => Unit::Ampere,
        ResolvedAsk::Response { source, .. }
        | ResolvedAsk::LineRejection { source, .. }
        | ResolvedAsk::InputImpedance { source }
            if driven(source) =>
        {
            Unit::Ampere
        }
        _ => Unit::Volt,
    }
}

/// What a curve is in: what is read over what is put in.
fn unit(supply: &Supply, asks: &ResolvedAsk) -> Unit {
    let driven = |source: &str| supply.part(source).is_some_and(|part| part.kind == KindId::CurrentSource);
    let (source, signal, over) = match asks {
        ResolvedAsk::LoopGain { .. } => return Unit::One,
        ResolvedAsk::OutputImpedance { .. } | ResolvedAsk::InputImpedance { .. } => return Unit::Ohm,
        ResolvedAsk::Response { source, signal } => (source, signal, false),
        ResolvedAsk::LineRejection { source, signal } => (source, signal, true),
    };
    match (driven(source), signal.quantity() == Quantity::Current) {
        (false, true) | (true, false) if over == driven(source) => Unit::Siemens,
        (false, true) | (true, false) => Unit::Ohm,
        _ => Unit::One,
    }
}

fn asked(supply: &Supply, asks: &Asks) -> Result<ResolvedAsk, String> {
    let source = |id: &String| match supply.part(id) {
        None => Err(format!("there is no part {id}; name a source of this circuit")),
        Some(part) if matches!(part.kind, KindId::ThreePhaseSource) || !part.kind.kind().feeds() => {
            Err(format!("{id} is a {}, not a source of one voltage or current", part.kind.kind().name.to_lowercase()))
        }
        Some(_) => Ok(id.clone()),
    };
    let net = |name: &String| {
        let known = name == GND || supply.parts.iter().any(|part| part.pins.values().any(|net| net == name));
        if known { Ok(name.clone()) } else { Err(format!("there is no net {name}; name one that a part is joined to")) }
    };
    let signal = |text: &String| {
        let signal = Signal::parse(text).map_err(|error| format!("“{text}”: {error}"))?;
        let power = signal.quantity() == Quantity::Power;
        let unknown = signal.terms.iter().find(|t| supply.part(&t.of).is_none() && net(&t.of).is_err());
        match unknown {
            Some(term) => Err(format!("“{text}”: there is no net or part {}", term.of)),
            None if power => Err(format!(
                "{text} is a power, which does not answer a small signal in proportion; name a voltage or a current"
            )),
            None => Ok(signal),
        }
    };
    Ok(match asks {
        Asks::LoopGain { pin, cut } => {
            let (part, pin) =
                pin.split_once('.').ok_or_else(|| format!("“{pin}” is no pin; name part and pin, such as U1.inn"))?;
            let found = supply.part(part).ok_or_else(|| format!("there is no part {part}"))?;
            let joined = found.kind.kind().pin(pin).and_then(|_| found.pins.get(pin)).filter(|net| !net.is_empty());
            joined.ok_or_else(|| format!("{part} has no pin {pin} that is joined to a net"))?;
            ResolvedAsk::LoopGain { part: part.to_owned(), pin: pin.to_owned(), cut: *cut }
        }
        Asks::Response { source: of, signal: to } => ResolvedAsk::Response { source: source(of)?, signal: signal(to)? },
        Asks::LineRejection { source: of, signal: to } => {
            ResolvedAsk::LineRejection { source: source(of)?, signal: signal(to)? }
        }
        Asks::OutputImpedance { net: of, back } => {
            let back = back.clone().unwrap_or_else(|| GND.to_owned());
            if *of == back {
                return Err(format!("{of} against itself has no impedance; name two nets"));
            }
            ResolvedAsk::OutputImpedance { net: net(of)?, back: net(&back)? }
        }
        Asks::InputImpedance { source: of } => ResolvedAsk::InputImpedance { source: source(of)? },
    })
}
