/// Why a circuit cannot be simulated by switching, or not further. Each names the parts at fault and what to do.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum SwitchedError {
    /// Kinds without a piecewise-linear form.
    #[error("{parts} cannot be simulated by switching; run the study at device level")]
    NoForm {
        /// Designators.
        parts: String,
    },
    /// Ideal sources, switches and diodes contradict each other, or leave something without a value.
    #[error(
        "stopped at {time:.6e} s: with {state} the circuit contradicts itself at {parts}; give what is joined there the \
         resistance it really has"
    )]
    Impossible {
        /// Simulated time reached, seconds.
        time: f64,
        /// Parts whose relations contradict each other.
        parts: String,
        /// What conducts.
        state: String,
    },
    /// Controls undo each other for ever.
    #[error(
        "stopped at {time:.6e} s: {parts} find no state in which they can stay; look for a control that undoes itself at once, \
         and give it a hysteresis or a delay, or run the study at device level"
    )]
    Restless {
        /// Simulated time reached, seconds.
        time: f64,
        /// Parts that change.
        parts: String,
    },
    /// No state of what conducts by itself fits.
    #[error(
        "stopped at {time:.6e} s: {parts} find no state of conducting or blocking that fits what drives them; give what is joined \
         there the resistance it really has, or run the study at device level"
    )]
    Unresolved {
        /// Simulated time reached, seconds.
        time: f64,
        /// Parts that change.
        parts: String,
    },
    /// Numbers have left all bounds.
    #[error(
        "stopped at {time:.6e} s: {unknown} has grown beyond all bounds; look for a feedback of the wrong sign there"
    )]
    Unbounded {
        /// Simulated time reached, seconds.
        time: f64,
        /// Net or part.
        unknown: String,
    },
    /// Something that was asked for is not there.
    #[error("there is no {what} in this circuit")]
    Unknown {
        /// What was asked for.
        what: String,
    },
    /// The observer said so.
    #[error("stopped while the settled period was looked for")]
    Stopped,
    /// What was left of another run is not of this circuit.
    #[error("the run cannot be gone on with: {0}")]
    Unfit(#[from] recording::Unfit),
    /// Nothing repeats, or not with one period.
    #[error("there is no settled period: {why}; give the sources periods that fit, or run a transient")]
    NotPeriodic {
        /// What is wrong.
        why: String,
    },
    /// No periodic state was found.
    #[error(
        "no settled period was found in {periods} periods, the nearest was still off by {residual:.1e}; it may oscillate slower \
         than its sources or not settle at all: run a transient and look"
    )]
    NotSettling {
        /// Periods tried.
        periods: u32,
        /// How far the nearest state was from a periodic one, relative.
        residual: f64,
    },
}
