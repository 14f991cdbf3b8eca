/// Why a computation could not be finished. Each names the net or part at fault.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum EngineError {
    /// The equations leave something undetermined.
    #[error(
        "{unknown} is not determined by the circuit; look for a part that floats or a loop without resistance there"
    )]
    Singular {
        /// The net voltage or part current.
        unknown: String,
    },
    /// The circuit has nothing of that name.
    #[error("the circuit has no {what}")]
    Unknown {
        /// What was asked for.
        what: String,
    },
    /// No operating point was found by any method.
    #[error("no operating point was found ({tried}); {unknown} does not settle, look at {part}")]
    OperatingPoint {
        /// The methods tried, in order.
        tried: String,
        /// The net voltage or part current that moves most.
        unknown: String,
        /// A part connected there.
        part: String,
    },
    /// A part trips over and over where no time passes.
    #[error(
        "no operating point was found: {part} has no state of rest, as what it does brings about its opposite; begin at rest, \
         which is switch-on, and let it run"
    )]
    Restless {
        /// The part.
        part: String,
    },
    /// The equations cannot be solved even for the shortest step.
    #[error(
        "stopped at {time:.6e} s: {unknown} does not settle even with the shortest step of {step:.1e} s, look at {part}; \
         loosen the tolerance, or give the parts around it the resistance or capacitance they really have"
    )]
    Stuck {
        /// Simulated time reached, seconds.
        time: f64,
        /// Shortest step tried, seconds.
        step: f64,
        /// The net voltage or part current that moves most.
        unknown: String,
        /// A part connected there.
        part: String,
    },
    /// Steps have become so short that the run would not end.
    #[error(
        "stopped at {time:.6e} s: the last {steps} steps made no headway; {unknown} moves too fast, look at {part}: give it \
         and the parts around it the resistance or capacitance they really have, or loosen the tolerance"
    )]
    Crawling {
        /// Simulated time reached, seconds.
        time: f64,
        /// Steps tried without headway.
        steps: u64,
        /// The net voltage or part current whose error kept them short.
        unknown: String,
        /// A part connected there.
        part: String,
    },
    /// Devices with two states trip one another without end.
    #[error(
        "stopped at {time:.6e} s: {part} opens and closes without end; set its thresholds further apart, or delay what \
         controls it"
    )]
    Chatter {
        /// Simulated time reached, seconds.
        time: f64,
        /// The part that tripped last.
        part: String,
    },
    /// Nothing repeats, or not with one period.
    #[error("there is no settled period: {why}")]
    NotPeriodic {
        /// What is wrong.
        why: String,
    },
    /// No periodic state was found.
    #[error(
        "no settled period was found in {periods} periods, the nearest was still off by {residual:.1e} of full scale; it may \
         oscillate slower than its sources or not settle at all: run a switch-on and look"
    )]
    NotSettling {
        /// Periods tried.
        periods: u32,
        /// How far the nearest state was from a periodic one, relative.
        residual: f64,
    },
    /// The observer said so.
    #[error("stopped while the settled period was looked for")]
    Stopped,
}

impl EngineError {
    /// The same error with a name put in place of another, where something stood in for a part.
    pub fn renamed(mut self, from: &str, to: &str) -> Self {
        let fields: [Option<&mut String>; 2] = match &mut self {
            EngineError::Singular { unknown } => [Some(unknown), None],
            EngineError::Unknown { what } => [Some(what), None],
            EngineError::OperatingPoint { unknown, part, .. }
            | EngineError::Stuck { unknown, part, .. }
            | EngineError::Crawling { unknown, part, .. } => [Some(unknown), Some(part)],
            EngineError::Chatter { part, .. } | EngineError::Restless { part } => [Some(part), None],
            EngineError::NotPeriodic { .. } | EngineError::NotSettling { .. } | EngineError::Stopped => [None, None],
        };
        for field in fields.into_iter().flatten() {
            *field = field.replace(from, to);
        }
        self
    }
}
