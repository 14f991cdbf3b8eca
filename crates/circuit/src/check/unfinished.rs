//! A power path that is not at its end yet: what is loose there is no mistake, but what comes next.

use crate::finding::{Findings, Place};
use crate::{JointKind, Stage, StageKind, Supply};

/// Nets at which stages pass power on to nothing.
pub(super) struct LooseEnds<'a> {
    stage: Option<(&'a Stage, JointKind)>,
    nets: Vec<usize>,
    excused: bool,
}

impl<'a> LooseEnds<'a> {
    pub(super) fn of(supply: &'a Supply, nets: &[String]) -> Self {
        let mut ends = LooseEnds { stage: None, nets: Vec::new(), excused: false };
        for stage in supply.stages.iter().filter(|s| !s.bypassed) {
            for (k, joint) in stage.joints.iter().enumerate() {
                let follows = |s: &Stage| s.after.as_ref() == Some(&stage.id) && s.from_joint as usize == k;
                if !supply.stages.iter().any(follows) {
                    ends.stage = Some((stage, joint.kind()));
                    ends.nets.extend(joint.nets().iter().filter_map(|net| nets.iter().position(|n| n == net)));
                }
            }
        }
        if ends.stage.is_some() {
            // The reference may come only with what follows.
            ends.nets.push(0);
        }
        ends
    }

    /// Whether what is wrong with a net is that nothing follows yet.
    pub(super) fn excuse(&mut self, net: usize) -> bool {
        let excused = self.nets.contains(&net);
        self.excused |= excused;
        excused
    }

    /// Says once what was excused.
    pub(super) fn report(&self, findings: &mut Findings) {
        let (true, Some((stage, joint))) = (self.excused, self.stage) else { return };
        let next = match (joint, stage.kind) {
            (JointKind::Dc | JointKind::Split, _) => "a reservoir, a regulator or a load",
            (_, StageKind::Transformer) => "a rectifier",
            _ => "a transformer or a rectifier",
        };
        findings.error(
            "path-unfinished",
            Place::Stage { stage: stage.id.clone() },
            format!("The power path is unfinished: nothing follows {} yet", stage.title),
            format!("Add what takes {} behind it, such as {next}", joint.name()),
        );
    }
}
