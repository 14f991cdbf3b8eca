use crate::figures::{Average, Figures};
use crate::gauges::{
    Change, Class, Crossed, Crossings, Farthest, Filtered, Flow, Gauge, Harmonics, HarmonicsOf, LAST_ORDER, Port,
    RingingOf, Settled, Shape, Shaped, Sloped, Slopes, Spectrum, Step, TimeAbove, Way,
};
use crate::span::{MeasureError, Span};
use crate::turns::Turns;
use crate::waveform::Waveform;
use circuit::{Direction, ReadingMeasure};

/// What is to be taken of one signal, or of a voltage and a current, over a span.
#[derive(Debug)]
pub enum Question {
    /// Integrals and extremes.
    Figures,
    /// One number out of them.
    Average(Average),
    /// A number that takes more.
    Gauge(Box<dyn Gauge>),
}

impl Question {
    /// The question a measure asks over a span, with its numbers in the order of its table and the fundamental, Hz, that
    /// is taken where none is stated.
    ///
    /// # Errors
    /// [`MeasureError`] if the span is too short for it, or no fundamental is known.
    pub fn new(
        measure: ReadingMeasure,
        numbers: &[Option<f64>],
        span: Span,
        fundamental: Option<f64>,
    ) -> Result<Self, MeasureError> {
        use ReadingMeasure as M;
        let number = |k: usize| numbers.get(k).copied().flatten();
        let stated = |k: usize, default: f64| number(k).unwrap_or(default);
        let spectrum = |k: usize, orders: usize| {
            let frequency = number(k).or(fundamental).ok_or(MeasureError::NoFundamental)?;
            Spectrum::new(span, frequency, orders)
        };
        let step = |asked, levels: usize| {
            let step = Step::new(span, number(0), number(1), asked);
            Box::new(if number(levels) == Some(1.0) { step.by_histogram() } else { step })
        };
        let gauge: Box<dyn Gauge> = match measure {
            M::Mean => return Ok(Question::Average(Average::Mean)),
            M::Rms => return Ok(Question::Average(Average::Rms)),
            M::Min => return Ok(Question::Average(Average::Min)),
            M::Max => return Ok(Question::Average(Average::Max)),
            M::PeakToPeak => return Ok(Question::Average(Average::PeakToPeak)),
            // Powers of stages and formulas are put together from other questions; curves over frequency have no course.
            M::Efficiency
            | M::Loss
            | M::RatingUse
            | M::Crossover
            | M::PhaseMargin
            | M::GainMargin
            | M::ModulusMargin
            | M::ClosedLoopPeak
            | M::CurveMagnitude
            | M::CurveDecibels
            | M::CurvePhase
            | M::CurveLargest
            | M::CurveSmallest
            | M::PeakFrequency
            | M::PeakQuality
            | M::Bandwidth
            | M::MaskUse
            | M::MaskRest
            | M::Formula => return Ok(Question::Figures),
            M::AlternatingRms => Box::new(Shaped::new(span, Shape::Alternating)),
            M::Integral => Box::new(Shaped::new(span, Shape::Integral)),
            M::CrestFactor => Box::new(Shaped::new(span, Shape::Crest)),
            M::FormFactor => Box::new(Shaped::new(span, Shape::Form)),
            M::RippleFactor => Box::new(Shaped::new(span, Shape::Ripple)),
            M::Ripple => Box::new(Filtered::new(span, stated(0, 0.0), stated(1, 0.0))?),
            M::ValueAt => Box::new(Slopes::new(span, Sloped::At(stated(0, span.from)))),
            M::Slope => Box::new(Slopes::new(span, Sloped::Mean)),
            M::Steepest => Box::new(Slopes::new(span, Sloped::Steepest)),
            M::Frequency => Box::new(Crossings::new(span, None, Crossed::Frequency)),
            M::Period => Box::new(Crossings::new(span, None, Crossed::Period)),
            M::Duty => Box::new(TimeAbove::new(span, number(0))),
            M::Count => Box::new(Crossings::new(span, number(0), Crossed::Count)),
            M::CrossingTime => {
                let direction = [Direction::Either, Direction::Rising, Direction::Falling][stated(2, 0.0) as usize % 3];
                Box::new(Crossings::new(span, number(0), Crossed::Time(stated(1, 1.0) as u32, direction)))
            }
            M::RiseTime => step(Change::Rise, 2),
            M::FallTime => step(Change::Fall, 2),
            M::Delay => step(Change::Delay, 2),
            M::Overshoot => step(Change::Overshoot, 2),
            M::Undershoot => step(Change::Undershoot, 2),
            M::Regulation => step(Change::Regulation, 2),
            M::RiseAbove => step(Change::RiseAbove, 2),
            M::SettlingTime => match number(4) {
                Some(within) => step(Change::SettlesWithin(within.abs()), 3),
                None => step(Change::Settles(stated(2, 0.02)), 3),
            },
            M::Margin => Box::new(Shaped::new(span, Shape::Margin(stated(0, 0.0)))),
            M::RingingFrequency => Box::new(RingingOf::new(span, false)),
            M::RingingDecay => Box::new(RingingOf::new(span, true)),
            M::Harmonic => {
                let order = stated(0, 1.0) as usize;
                Box::new(HarmonicsOf::new(spectrum(1, order)?, Harmonics::Order(order)))
            }
            M::HarmonicDistortion => {
                Box::new(HarmonicsOf::new(spectrum(1, stated(0, 40.0) as usize)?, Harmonics::Distortion))
            }
            M::RealPower => Box::new(Port::new(span, None, Flow::Real)),
            M::ApparentPower => Box::new(Port::new(span, None, Flow::Apparent)),
            M::NonactivePower => Box::new(Port::new(span, None, Flow::Nonactive)),
            M::PowerFactor => Box::new(Port::new(span, None, Flow::Factor)),
            M::DisplacementFactor => Box::new(Port::new(span, Some(spectrum(0, 1)?), Flow::Displacement)),
            M::DistortionFactor => Box::new(Port::new(span, Some(spectrum(0, 1)?), Flow::Distortion)),
            M::HarmonicUse => {
                let class = [Class::A, Class::B, Class::C, Class::D][stated(0, 0.0) as usize % 4];
                Box::new(Port::new(span, Some(spectrum(1, LAST_ORDER)?), Flow::Limits(class)))
            }
        };
        Ok(Question::Gauge(gauge))
    }

    /// From when on a signal has settled, s: see the window of that name. With a period its mean and RMS over each are
    /// compared; `band` says how far off they may be.
    ///
    /// # Errors
    /// [`MeasureError::TooShort`] if not two periods fit.
    pub fn settled(span: Span, period: Option<f64>, band: f64) -> Result<Self, MeasureError> {
        Ok(Question::Gauge(Box::new(Settled::new(span, period, band)?)))
    }

    /// When a signal is farthest from zero, s; how far it is then stands in its figures ([`Way::of`]).
    pub fn farthest(span: Span, way: Way) -> Self {
        Question::Gauge(Box::new(Farthest::new(span, way)))
    }

    /// The time of the n-th crossing of a level, s.
    pub fn crossing(span: Span, level: f64, number: u32, direction: Direction) -> Self {
        Question::Gauge(Box::new(Crossings::new(span, Some(level), Crossed::Time(number, direction))))
    }
}

/// A question on its way to its answer.
#[derive(Debug)]
pub(crate) struct Asked {
    pub(crate) span: Span,
    pub(crate) figures: Figures,
    question: Question,
    first: bool,
    /// Whether another pass is needed, or that there is no answer.
    open: Result<bool, MeasureError>,
}

impl Asked {
    pub(crate) fn new(span: Span, question: Question) -> Self {
        Asked { span, figures: Figures::over(span), question, first: true, open: Ok(true) }
    }

    /// Whether what is rounding matters, and with it values outside the span.
    pub(crate) fn weighs_rounding(&self) -> bool {
        !matches!(self.question, Question::Average(Average::Mean | Average::Rms | Average::Min | Average::Max))
    }

    pub(crate) fn is_open(&self) -> bool {
        self.open == Ok(true)
    }

    pub(crate) fn take(&mut self, waves: &[Waveform<'_>]) {
        if self.first {
            self.figures.take(waves[0]);
        }
        if let Question::Gauge(gauge) = &mut self.question {
            gauge.take(waves);
        }
    }

    /// Takes what comes again: of turns that nothing begins or ends in, one and how many there are.
    pub(crate) fn take_turns(&mut self, turns: &Turns<'_>, values: &[f64]) {
        if self.first {
            self.figures.sees(values);
        }
        let marks = match &self.question {
            Question::Gauge(gauge) => gauge.marks(),
            _ => Vec::new(),
        };
        for turns in turns.parted(self.span, &marks) {
            if turns.count() == 1 {
                turns.hand(0, &mut |waves| self.take(waves));
                continue;
            }
            if self.first {
                self.figures.take_again(&turns);
            }
            if let Question::Gauge(gauge) = &mut self.question {
                gauge.take_again(&turns);
            }
        }
    }

    /// Ends a pass.
    pub(crate) fn again(&mut self) {
        self.first = false;
        if self.is_open() {
            self.open = match &mut self.question {
                Question::Gauge(gauge) => gauge.again(&self.figures),
                _ => Ok(false),
            };
        }
    }

    pub(crate) fn answer(&self) -> Result<f64, MeasureError> {
        self.open?;
        let value = match &self.question {
            Question::Gauge(gauge) => gauge.value(&self.figures)?,
            Question::Average(average) => self.figures.take_out(*average),
            Question::Figures => self.figures.mean(),
        };
        // Where a formula has no value, such as a ratio to nothing, nothing that is made of it has one.
        if value.is_finite() && !self.figures.is_no_number() { Ok(value) } else { Err(MeasureError::NoNumber) }
    }
}

impl Waveform<'_> {
    /// Takes one measure of this signal over a span, its numbers as the table has them.
    ///
    /// # Errors
    /// [`MeasureError`] if the span is not covered, or if there is no such number.
    pub fn measure(&self, measure: ReadingMeasure, span: Span) -> Result<f64, MeasureError> {
        let span = self.covered(span)?;
        self.ask(Question::new(measure, &[], span, None)?, span)
    }

    /// Answers a question of this signal over a span that is covered.
    ///
    /// # Errors
    /// [`MeasureError`] if there is no answer.
    pub fn ask(&self, question: Question, span: Span) -> Result<f64, MeasureError> {
        self.ask_beside(None, question, span)
    }

    /// Answers a question of this voltage and the current that flows with it, at the same nodes.
    ///
    /// # Errors
    /// [`MeasureError`] if there is no answer.
    pub fn ask_beside(
        &self,
        current: Option<Waveform<'_>>,
        question: Question,
        span: Span,
    ) -> Result<f64, MeasureError> {
        let waves: Vec<Waveform<'_>> = std::iter::once(*self).chain(current).collect();
        let mut asked = Asked::new(self.covered(span)?, question);
        while asked.is_open() {
            asked.take(&waves);
            asked.again();
        }
        asked.answer()
    }

    /// Reciprocal of the mean time between upward crossings of the middle, Hz.
    ///
    /// # Errors
    /// See [`Waveform::measure`].
    pub fn frequency(&self, span: Span) -> Result<f64, MeasureError> {
        self.measure(ReadingMeasure::Frequency, span)
    }
}
