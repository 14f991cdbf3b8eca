use crate::figures::Figures;
use crate::span::MeasureError;
use crate::turns::Turns;
use crate::waveform::Waveform;
use std::fmt::Debug;

/// A number taken while waveforms pass, as often as it needs them to.
///
/// The first pass finds the [`Figures`] of the first signal as well; what needs levels or a mean waits for the second.
pub trait Gauge: Debug + Send {
    /// Adds waveforms that follow what was taken before in this pass; all of them have the same nodes.
    fn take(&mut self, waves: &[Waveform<'_>]);

    /// Times inside the span at which it begins or ends to take something, s: a turn with one of them inside comes by itself.
    fn marks(&self) -> Vec<f64> {
        Vec::new()
    }

    /// Adds waveforms that come again and again, all turns within the span and none with a mark inside: as if each were taken.
    fn take_again(&mut self, turns: &Turns<'_>);

    /// Ends a pass; whether another is needed.
    ///
    /// # Errors
    /// [`MeasureError`] if what was found tells that there is no such number.
    fn again(&mut self, figures: &Figures) -> Result<bool, MeasureError>;

    /// The number, once no further pass is needed.
    ///
    /// # Errors
    /// [`MeasureError`] if there is none.
    fn value(&self, figures: &Figures) -> Result<f64, MeasureError>;
}
