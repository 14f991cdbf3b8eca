//! Which engine simulates a study, and why.

use circuit::{Circuit, Engine, KindId, ResolvedPart, ResolvedStudy, StudyKind};

/// Periods shorter than this are those of converters; longer ones are the mains', where a diode's curve matters more than
/// speed, s.
const SWITCHING: f64 = 1e-3;

/// The engine that simulates a study, and why in words.
pub fn engine_for(circuit: &Circuit, study: &ResolvedStudy) -> (Engine, String) {
    if study.kind == StudyKind::Settled {
        return (Engine::Switched, "by switching: a settled state is found that way".to_owned());
    }
    match study.engine {
        Some(Engine::Switched) => (Engine::Switched, "by switching, as the study says".to_owned()),
        Some(Engine::DeviceLevel) => (Engine::DeviceLevel, "at device level, as the study says".to_owned()),
        None => left_to_us(circuit),
    }
}

fn left_to_us(circuit: &Circuit) -> (Engine, String) {
    let fast = |p: &&ResolvedPart| p.kind == KindId::PulseSource && p.period().is_some_and(|period| period < SWITCHING);
    let (Some(source), Some(switch)) = (circuit.parts.iter().find(fast), circuit.parts.iter().find(switches)) else {
        return (Engine::DeviceLevel, "at device level: nothing switches periodically".to_owned());
    };
    let without = switched::without_form(circuit);
    if without.is_empty() {
        let reason = format!("by switching: {} drives {}, and every part has a form for it", source.id, switch.id);
        (Engine::Switched, reason)
    } else {
        (Engine::DeviceLevel, format!("at device level: {} cannot be simulated by switching", without.join(", ")))
    }
}

fn switches(part: &&ResolvedPart) -> bool {
    matches!(part.kind, KindId::MosfetN | KindId::MosfetP | KindId::ControlledSwitch | KindId::CurrentSwitch)
}
