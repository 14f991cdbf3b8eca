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
