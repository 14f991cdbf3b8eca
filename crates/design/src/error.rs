//! Why a supply cannot be changed as asked.

/// Why a change cannot be made.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[allow(missing_docs)]
pub enum ComposeError {
    #[error("there is no form named {0} in the stage catalogue")]
    NoForm(String),
    #[error("the supply has no stage {0}")]
    NoStage(String),
    #[error("{0} was drawn by hand, so there is nothing to size it by; choose a form for it from the catalogue")]
    DrawnByHand(String),
    #[error("nothing can be joined behind {0}; add to a stage that passes power on")]
    NoJoint(String),
    #[error("{0} is a source; add it at the beginning of the path")]
    SourceBehind(&'static str),
    #[error("{0} takes {1}; choose the stage it comes after")]
    NeedsBefore(&'static str, &'static str),
    #[error(
        "{form} takes {takes}, but {gives} is there; choose another form, or put what makes the difference between"
    )]
    Unfit { form: &'static str, takes: &'static str, gives: &'static str },
    #[error("{0} has no stage before it to change places with")]
    First(String),
    #[error(
        "{0} cannot be bypassed: what it gives is of another kind than what it takes; cut the study behind the \
         stage before instead"
    )]
    Unbypassable(String),
    #[error("this circuit has nothing for such a study: {0}")]
    NoStudy(String),
    #[error("the supply has no part {0}")]
    NoPart(String),
    #[error("{part} has no pin {pin}")]
    NoPin { part: String, pin: String },
    #[error("the supply has no net {0}")]
    NoNet(String),
    #[error("“{0}” cannot name a net: use letters, digits and _ only")]
    BadNet(String),
    #[error("a part is named {0}, so a net cannot be")]
    TakenByPart(String),
    #[error("gnd is the reference of the supply and keeps its name")]
    Reference,
    #[error("{0}")]
    Joins(String),
    #[error("{part} has pins {has}, {entry} has {wants}; choose an entry with the same pins")]
    OtherPins { part: String, has: String, entry: String, wants: String },
    #[error("{0}")]
    Line(String),
    /// The supply would be larger, or lie farther out, than one may be.
    #[error("{0}")]
    Limits(#[from] circuit::ReadError),
}
