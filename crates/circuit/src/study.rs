//! The ways to try a supply: what is done, with the settings of its kind.

use crate::Strip;
use schemars::JsonSchema;
use serde::de::Error;
use serde::{Deserialize, Deserializer, Serialize};

/// How to try the supply.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Study {
    /// Identifier, unique among studies.
    pub id: String,
    /// The name shown.
    pub title: String,
    /// What it is simulated by; left to the circuit if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub engine: Option<Engine>,
    /// Where the power path is cut, to look at the supply so far; whole if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cut: Option<Cut>,
    /// What the strips show, from top to bottom.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub strips: Vec<Strip>,
    /// What is done, and the settings of that.
    #[serde(flatten)]
    pub settings: StudySettings,
}

/// What a study does, with what each kind needs to know.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum StudySettings {
    /// From everything at rest, the sources start at time zero.
    SwitchOn(Course),
    /// A load steps; without a step stated, what changes with time in the circuit takes its course.
    LoadStep(Stepped),
    /// A source of the supply steps.
    LineStep(Stepped),
    /// The periodic steady state, found straight away; what happens only once does not happen.
    Settled(Course),
    /// Where the circuit rests with its sources at their means, nothing moving.
    OperatingPoint,
    /// What it answers to small sinusoids, over frequency.
    Frequency(OverFrequency),
}

/// The kinds of study.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum StudyKind {
    SwitchOn,
    LoadStep,
    LineStep,
    Settled,
    OperatingPoint,
    Frequency,
}

/// How long time goes on, and how closely it is followed.
#[derive(Clone, Debug, Default, PartialEq, Serialize, JsonSchema)]
pub struct Course {
    /// Simulated time, in seconds; of a settled state as many whole periods as fit into it are kept, from one to a hundred.
    pub duration: String,
    /// Whether the duration follows what the circuit suggests, as long as nobody states another.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub suggested: bool,
    /// Time from which traces are kept, in seconds; from the start if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub record_from: Option<String>,
    /// Longest time step, in seconds; a twentieth of the shortest source period if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub max_step: Option<String>,
    /// Accuracy wanted of the traces, relative to full scale; 0.001 if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tolerance: Option<String>,
    /// Where it begins; as its kind does if left out: a switch-on at rest, a step in the settled state.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub begins: Option<Begins>,
}

/// Where a study begins.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Begins {
    /// Everything at rest: capacitors empty or at their stated voltage, no current in any inductor.
    Rest,
    /// The operating point, sources at what they are at first.
    OperatingPoint,
    /// The settled state where something repeats, the operating point where nothing does.
    Settled,
}

/// A course of time in which something steps.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Stepped {
    /// How long and how closely.
    #[serde(flatten)]
    pub course: Course,
    /// What steps; without it what changes with time in the circuit is all there is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub step: Option<Step>,
}

/// A step that a study makes of a load or a source; the circuit need not contain one.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Step {
    /// The load or the source, by its designator.
    pub part: String,
    /// What it draws or gives before, A or V; of a source what it is set to if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// What it draws or gives after, A or V.
    pub to: String,
    /// When it steps, in seconds.
    pub at: String,
    /// How fast it changes, A/s or V/s; 1 A or 1 V a microsecond if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub slew: Option<String>,
    /// How long it stays, in seconds, before it steps back; for good if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub stays: Option<String>,
    /// Time from step to step, in seconds; it steps once if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub every: Option<String>,
}

/// What is asked over frequency, and at which frequencies.
#[derive(Clone, Debug, Default, PartialEq, Serialize, JsonSchema)]
pub struct OverFrequency {
    /// First frequency, Hz.
    pub from: String,
    /// Last frequency, Hz.
    pub to: String,
    /// Points per decade; more are added where a curve bends. 20 if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub per_decade: Option<String>,
    /// What is asked, all answered about the same state.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub questions: Vec<FrequencyQuestion>,
}

/// A question over frequency; its answer is a curve of that name.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FrequencyQuestion {
    /// The curve's name, unique in its study: a letter, then letters, digits and `_`. Formulas of curves use it.
    pub id: String,
    /// What is asked.
    pub asks: Asks,
    /// Whether it is measured with tones of finite size as well, as on a bench.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tones: Option<Tones>,
}

/// How a question is measured with tones.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Tones {
    /// Amplitude of each tone, peak, V or A; found for each if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub amplitude: Option<String>,
    /// Points per decade; 5 if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub per_decade: Option<String>,
}

/// What can be asked over frequency.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Asks {
    /// The gain around the loop that passes through a pin, positive for negative feedback.
    LoopGain {
        /// Part and pin, such as `U1.inn`.
        pin: String,
        /// By switching: measured with the loop cut open behind the settled state, instead of closed as an analyser reads it.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        cut: bool,
    },
    /// How a signal answers one volt, or one ampere, more of a source.
    Response {
        /// The source, by its designator.
        source: String,
        /// The signal.
        signal: String,
    },
    /// How much of a source's disturbance is kept from a signal: one over the response.
    LineRejection {
        /// The source, by its designator.
        source: String,
        /// The signal.
        signal: String,
    },
    /// The impedance seen between two nets, everything in place.
    OutputImpedance {
        /// The net.
        net: String,
        /// The net it is seen against; `gnd` if left out.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        back: Option<String>,
    },
    /// The impedance that a source sees.
    InputImpedance {
        /// The source, by its designator.
        source: String,
    },
}

/// The kinds of question.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum AskKind {
    LoopGain,
    Response,
    LineRejection,
    OutputImpedance,
    InputImpedance,
}

/// The power path cut behind a stage, with a load standing in for what follows.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Cut {
    /// The stage behind which nothing is left.
    pub after: String,
    /// Resistance put across each of its joints' rails, Ω.
    pub load: String,
}

/// The ways to simulate.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Engine {
    /// Smooth models of devices, steps as small as their accuracy takes.
    DeviceLevel,
    /// Switches and diodes of straight pieces, exact between events.
    Switched,
}

impl StudySettings {
    /// A study of a kind that takes a course of time and makes no step of its own; a switch-on for the kinds without one.
    pub fn over_time(kind: StudyKind, course: Course) -> Self {
        match kind {
            StudyKind::LoadStep => StudySettings::LoadStep(Stepped { course, step: None }),
            StudyKind::LineStep => StudySettings::LineStep(Stepped { course, step: None }),
            StudyKind::Settled => StudySettings::Settled(course),
            _ => StudySettings::SwitchOn(course),
        }
    }
}

impl StudyKind {
    /// Whether time goes on in it.
    pub fn takes_time(self) -> bool {
        !matches!(self, StudyKind::OperatingPoint | StudyKind::Frequency)
    }

    /// Where it begins if it does not say.
    pub fn usually_begins(self) -> Begins {
        match self {
            StudyKind::SwitchOn => Begins::Rest,
            _ => Begins::Settled,
        }
    }
}

impl Course {
    /// A course of so many seconds, everything else left to us.
    pub fn lasting(duration: impl Into<String>) -> Self {
        Course { duration: duration.into(), ..Course::default() }
    }

    /// As long as the circuit suggests, and longer when it suggests so.
    pub fn suggested(duration: impl Into<String>) -> Self {
        Course { suggested: true, ..Course::lasting(duration) }
    }
}

impl Study {
    /// A study without strips, of the whole path, simulated by what suits it.
    pub fn new(id: impl Into<String>, title: impl Into<String>, settings: StudySettings) -> Self {
        Study { id: id.into(), title: title.into(), engine: None, cut: None, strips: Vec::new(), settings }
    }

    /// What is done.
    pub fn kind(&self) -> StudyKind {
        match self.settings {
            StudySettings::SwitchOn(_) => StudyKind::SwitchOn,
            StudySettings::LoadStep(_) => StudyKind::LoadStep,
            StudySettings::LineStep(_) => StudyKind::LineStep,
            StudySettings::Settled(_) => StudyKind::Settled,
            StudySettings::OperatingPoint => StudyKind::OperatingPoint,
            StudySettings::Frequency(_) => StudyKind::Frequency,
        }
    }

    /// How long time goes on; none where it does not.
    pub fn course(&self) -> Option<&Course> {
        match &self.settings {
            StudySettings::SwitchOn(course) | StudySettings::Settled(course) => Some(course),
            StudySettings::LoadStep(stepped) | StudySettings::LineStep(stepped) => Some(&stepped.course),
            StudySettings::OperatingPoint | StudySettings::Frequency(_) => None,
        }
    }

    /// The same, to be changed.
    pub fn course_mut(&mut self) -> Option<&mut Course> {
        match &mut self.settings {
            StudySettings::SwitchOn(course) | StudySettings::Settled(course) => Some(course),
            StudySettings::LoadStep(stepped) | StudySettings::LineStep(stepped) => Some(&mut stepped.course),
            StudySettings::OperatingPoint | StudySettings::Frequency(_) => None,
        }
    }

    /// The step it makes, if it makes one.
    pub fn step(&self) -> Option<&Step> {
        match &self.settings {
            StudySettings::LoadStep(stepped) | StudySettings::LineStep(stepped) => stepped.step.as_ref(),
            _ => None,
        }
    }

    /// What it asks over frequency; nothing where it is of another kind.
    pub fn questions(&self) -> &[FrequencyQuestion] {
        match &self.settings {
            StudySettings::Frequency(asked) => &asked.questions,
            _ => &[],
        }
    }

    /// Every value that is typed in its settings.
    pub fn texts(&self) -> impl Iterator<Item = &String> {
        let course = self
            .course()
            .into_iter()
            .flat_map(|c| [Some(&c.duration), c.record_from.as_ref(), c.max_step.as_ref(), c.tolerance.as_ref()]);
        let step = self.step().into_iter().flat_map(|s| {
            [s.from.as_ref(), Some(&s.to), Some(&s.at), s.slew.as_ref(), s.stays.as_ref(), s.every.as_ref()]
        });
        let grid = match &self.settings {
            StudySettings::Frequency(asked) => vec![Some(&asked.from), Some(&asked.to), asked.per_decade.as_ref()],
            _ => Vec::new(),
        };
        let tones = self.questions().iter().filter_map(|question| question.tones.as_ref());
        let tones = tones.flat_map(|tones| [tones.amplitude.as_ref(), tones.per_decade.as_ref()]);
        course.chain(step).chain(grid).chain(tones).flatten()
    }
}

impl Asks {
    /// What is asked.
    pub fn kind(&self) -> AskKind {
        match self {
            Asks::LoopGain { .. } => AskKind::LoopGain,
            Asks::Response { .. } => AskKind::Response,
            Asks::LineRejection { .. } => AskKind::LineRejection,
            Asks::OutputImpedance { .. } => AskKind::OutputImpedance,
            Asks::InputImpedance { .. } => AskKind::InputImpedance,
        }
    }

    /// Every signal, net and pin it names, to be changed when they are renamed; a net stands as its voltage.
    pub fn signals_mut(&mut self) -> impl Iterator<Item = &mut String> {
        match self {
            Asks::Response { signal, .. } | Asks::LineRejection { signal, .. } => Some(signal),
            _ => None,
        }
        .into_iter()
    }

    /// Every net it names by itself.
    pub fn nets_mut(&mut self) -> impl Iterator<Item = &mut String> {
        match self {
            Asks::OutputImpedance { net, back } => [Some(net), back.as_mut()],
            _ => [None, None],
        }
        .into_iter()
        .flatten()
    }
}

/// Everything a study of any kind may say, as it stands in a document.
#[derive(Deserialize)]
#[serde(deny_unknown_fields, rename = "study")]
struct Whole {
    id: String,
    kind: StudyKind,
    title: String,
    #[serde(default)]
    engine: Option<Engine>,
    #[serde(default)]
    cut: Option<Cut>,
    #[serde(default)]
    strips: Vec<Strip>,
    #[serde(default)]
    duration: Option<String>,
    #[serde(default)]
    suggested: bool,
    #[serde(default)]
    record_from: Option<String>,
    #[serde(default)]
    max_step: Option<String>,
    #[serde(default)]
    tolerance: Option<String>,
    #[serde(default)]
    begins: Option<Begins>,
    #[serde(default)]
    step: Option<Step>,
    #[serde(default)]
    from: Option<String>,
    #[serde(default)]
    to: Option<String>,
    #[serde(default)]
    per_decade: Option<String>,
    #[serde(default)]
    questions: Option<Vec<FrequencyQuestion>>,
}

impl<'de> Deserialize<'de> for Study {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let Whole {
            id,
            kind,
            title,
            engine,
            cut,
            strips,
            duration,
            suggested,
            record_from,
            max_step,
            tolerance,
            begins,
            step,
            from,
            to,
            per_decade,
            questions,
        } = Whole::deserialize(from)?;
        let steps = matches!(kind, StudyKind::LoadStep | StudyKind::LineStep);
        let frequency = kind == StudyKind::Frequency;
        let timeless = frequency || kind == StudyKind::OperatingPoint;
        let course = [&duration, &record_from, &max_step, &tolerance].iter().any(|text| text.is_some());
        let grid = from.is_some() || to.is_some() || per_decade.is_some() || questions.is_some();
        // What belongs to another kind would be lost without a word.
        let foreign = match () {
            () if step.is_some() && !steps => Some("a step, which only a load step or a line step makes"),
            () if grid && !frequency => Some("frequencies, which only a frequency study has"),
            () if timeless && (course || begins.is_some()) => Some("a course of time, which there is none of in it"),
            () if begins.is_some() && kind == StudyKind::Settled => Some("where it begins, but it is settled"),
            () => None,
        };
        if let Some(what) = foreign {
            return Err(D::Error::custom(format!("study {id} states {what}; leave that out or change its kind")));
        }
        let time = |duration: Option<String>| {
            let duration = duration.ok_or_else(|| D::Error::missing_field("duration"))?;
            Ok(Course { duration, suggested, record_from, max_step, tolerance, begins })
        };
        let settings = match kind {
            StudyKind::SwitchOn => StudySettings::SwitchOn(time(duration)?),
            StudyKind::LoadStep => StudySettings::LoadStep(Stepped { course: time(duration)?, step }),
            StudyKind::LineStep => StudySettings::LineStep(Stepped { course: time(duration)?, step }),
            // Of a settled state everything is kept.
            StudyKind::Settled => StudySettings::Settled(Course { record_from: None, ..time(duration)? }),
            StudyKind::OperatingPoint => StudySettings::OperatingPoint,
            StudyKind::Frequency => StudySettings::Frequency(OverFrequency {
                from: from.ok_or_else(|| D::Error::missing_field("from"))?,
                to: to.ok_or_else(|| D::Error::missing_field("to"))?,
                per_decade,
                questions: questions.unwrap_or_default(),
            }),
        };
        Ok(Study { id, title, engine, cut, strips, settings })
    }
}
