//! Why a use case did not do what was asked.

use crate::credentials::WeakPassword;
use crate::permission::Action;
use coil::design::Problem;
use coil::search::FamilyError;
use instruments::InstrumentError;
use instruments::network::NetworkError;
use std::time::Duration;
use store::StoreError;
use store::design::RevisionRow;
use strum::IntoStaticStr;
use thiserror::Error;
use trade::machine::{OutOfLimits, ProfileFault};
use trade::reading::Kind;
use trade::traveller::SigningRefusal;
use trade::verdict::Level;

/// Why a use case did not do what was asked. Nothing was written, unless a variant says otherwise. The words for people
/// are made where it is shown; [`Refusal::code`] is for programs.
#[derive(Debug, Error, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Refusal {
    /// There is no such thing in this workshop.
    #[error("there is no such {0} in this workshop")]
    NotFound(&'static str),
    /// Another one of that kind has this name.
    #[error("another {0} has this name")]
    NameTaken(&'static str),
    /// Something depends on it, so it cannot be deleted.
    #[error("something depends on the {0}")]
    InUse(&'static str),
    /// Somebody else changed it after it was shown.
    #[error("the {0} was changed meanwhile")]
    ChangedMeanwhile(&'static str),
    /// Every operation of the run is signed: its readings are corrected, and none are added.
    #[error("the run is signed off")]
    RunClosed,
    /// The run was voided: nothing of it is changed.
    #[error("the run is void")]
    RunVoid,
    /// The reading was corrected by somebody else in the meantime.
    #[error("the reading was corrected meanwhile")]
    ReadingSuperseded,
    /// The operation holds for readings, and those lie outside their tolerance: signing it takes a reason.
    #[error("the verdict is {0:?}")]
    VerdictHoldsSigning(Level),
    /// The operation cannot be signed now.
    #[error("not signed: {0}")]
    NotSigned(#[source] SigningRefusal),
    /// The wire on the spool does not suffice for the coil.
    #[error("{left_m} m are left of {needed_m} m")]
    SpoolTooShort {
        /// What is left, m.
        left_m: f64,
        /// What the coil may take, m.
        needed_m: f64,
    },
    /// The spool holds other wire than the design names: starting takes a reason.
    #[error("{on_spool} is on the spool, {in_design} in the design")]
    OtherWire {
        /// What is on the spool, in words.
        on_spool: String,
        /// What the design names, in words.
        in_design: String,
        /// Share by which the resistance will be higher.
        resistance: f64,
    },
    /// No coil has such a reading, whatever way it came in.
    #[error("{} of {value} cannot be", kind.name())]
    ImpossibleReading {
        /// Of what.
        kind: Kind,
        /// The value, SI.
        value: f64,
    },
    /// The design cannot be predicted.
    #[error("the design cannot be predicted")]
    NotPredictable(Vec<Problem>),
    /// What one request asks to be computed takes too long; each part of it might be computed by itself.
    #[error("{needed_s:.0} s of computing in one request, {most_s:.0} s are granted")]
    TooCostly {
        /// What it would take, seconds of one core.
        needed_s: f64,
        /// What one request may take, seconds.
        most_s: f64,
        /// The place of the part that takes most.
        place: String,
    },
    /// Somebody else saved a revision after the one that this goes on from; it is newer than what was seen.
    #[error("there is a newer revision")]
    NewerRevision(Box<RevisionRow>),
    /// The document is the same as that of the revision that it goes on from.
    #[error("nothing differs from the revision before")]
    NothingNew,
    /// The adjustment leads outside what the engine allows.
    #[error("the adjustment is not possible here")]
    AdjustmentOutOfRange,
    /// As much long work is under way as the machine bears.
    #[error("too many jobs are running")]
    TooManyJobs,
    /// The runs are not one of each coil of one design.
    #[error("not one of each coil of one design")]
    NotOneOfEachCoil,
    /// One of the coils is in another set.
    #[error("a coil is in another set")]
    CoilInAnotherSet,
    /// What was sent is no picture that can be read, or too large.
    #[error("not a picture")]
    NotAPicture,
    /// There are as many photos of it as are kept.
    #[error("too many photos")]
    TooManyPhotos,
    /// The order cannot be: what is wrong, by its place, and by its line.
    #[error("the order cannot be: {0:?}")]
    UnusableOrder(Vec<(&'static str, usize)>),
    /// What is to be done fits into no plan, and why.
    #[error("not schedulable: {0:?}")]
    NotSchedulable(Vec<String>),
    /// Others come before this operation, or it is signed.
    #[error("it is not this operation’s turn")]
    NotItsTurn,
    /// An operation is pinned into the past, or before what comes before it can be over.
    #[error("nothing can be pinned there")]
    PinCannotHold,
    /// A report of something broken that cannot be, by the name of its part.
    #[error("the report cannot be: {0}")]
    UnusableOutage(&'static str),
    /// The experiment is closed, and stays so.
    #[error("the experiment is closed")]
    ExperimentClosed,
    /// The listening was scored, and what was heard blind is not changed.
    #[error("the listening is scored")]
    ListeningScored,
    /// Who was shown which letter is which coil cannot score them blind.
    #[error("the key of the listening was seen")]
    ListeningKeySeen,
    /// An experiment compares two revisions or more, each once.
    #[error("these revisions cannot be compared")]
    NotComparable,
    /// The values make no variants of the revision.
    #[error("no variants: {0}")]
    NoFamily(#[from] FamilyError),
    /// Nothing was calibrated yet that could be kept.
    #[error("there is no calibration yet")]
    NoCalibration,
    /// That cannot be a winding machine.
    #[error("not a machine: {0:?}")]
    MachineProfile(Vec<ProfileFault>),
    /// The guide plan does not fit the machine.
    #[error("not for this machine: {0}")]
    MachineLimits(#[source] OutOfLimits),
    /// An instrument's address lies in no network that the owner allows.
    #[error("{0} lies in no network that is allowed for instruments")]
    AddressNotAllowed(String),
    /// A network for instruments cannot be read, or may not be allowed.
    #[error("not a network for instruments: {0}")]
    UnusableNetwork(#[source] NetworkError),
    /// The instrument could not do it.
    #[error("{name}: {source}")]
    Instrument {
        /// The instrument's name.
        name: String,
        /// Why.
        source: InstrumentError,
    },
    /// The meter has no thermometer on the coil, and no temperature was typed.
    #[error("the coil's temperature is not known")]
    CoilTemperatureUnknown,
    /// It takes a reason.
    #[error("a reason is missing")]
    ReasonMissing,
    /// Nothing is known of the instrument's input.
    #[error("the instrument's input is not known")]
    InputUnknown,
    /// The winder's counter was not taken over for this run, and shows other turns than are on the coil.
    #[error("the counter shows {counter} turns, {log} are logged")]
    CounterNotTaken {
        /// What the counter shows.
        counter: u32,
        /// Turns on the coil by the log.
        log: u32,
    },
    /// The winder counts for another run that is open.
    #[error("the winder is on run {run}")]
    WinderInUse {
        /// That run's number.
        run: u32,
    },
    /// So many turns cannot be on the coil, or not so soon: it takes a confirmation.
    #[error("{turns} turns of {planned} planned")]
    ImplausibleTurns {
        /// What was said.
        turns: u32,
        /// What is planned.
        planned: u32,
    },
    /// Only a simulated instrument can be given faults.
    #[error("the instrument is not simulated")]
    NotSimulated,
    /// It comes too soon after wrong attempts.
    #[error("too many attempts; again in {retry_after:?}")]
    TooManyAttempts {
        /// How long to wait.
        retry_after: Duration,
    },
    /// The actor's role may not do this.
    #[error("not allowed: {0:?}")]
    NotAllowed(Action),
    /// The last owner of a workshop cannot be taken away.
    #[error("the last owner stays owner")]
    LastOwner,
    /// One person has as many of these at the same time as they may.
    #[error("too many {0} at once")]
    TooManyAtOnce(&'static str),
    /// This is not the code that the program printed.
    #[error("not the set-up code")]
    WrongSetUpCode,
    /// A name to sign in with is empty, too long, or holds control characters.
    #[error("not a name to sign in with")]
    UnusableSignIn,
    /// A name is empty, too long, or holds control characters.
    #[error("not a name")]
    UnusableName,
    /// A PIN is too short, too long, or the first that would be tried.
    #[error("not a PIN")]
    UnusablePin,
    /// This is not the person's PIN.
    #[error("not the PIN")]
    WrongPin,
    /// There is a second factor, which is removed with the password before another one is set.
    #[error("there is a second factor")]
    SecondFactorSet,
    /// This is not the code of the authenticator now, nor one for recovery that is unused.
    #[error("not the code")]
    WrongCode,
    /// Passkeys are switched off here, or this address can have none.
    #[error("no passkeys here")]
    PasskeysOff,
    /// There are as many passkeys as somebody may have.
    #[error("too many passkeys")]
    TooManyPasskeys,
    /// The passkey does not prove who holds it.
    #[error("not proven by a passkey: {0}")]
    WrongPasskey(String),
    /// Single sign-on is not configured, or switched off here.
    #[error("no single sign-on here")]
    SingleSignOnOff,
    /// The provider does not answer.
    #[error("the provider is away: {0}")]
    ProviderAway(String),
    /// The provider did not sign anybody in, or does not prove whom.
    #[error("not proven by the provider: {0}")]
    NotProven(String),
    /// The provider knows them, and no workshop has a role for what it says of them.
    #[error("the provider names no role for them")]
    NoRole,
    /// More than one workshop has a role for what the provider says.
    #[error("several workshops have a role for them")]
    SeveralWorkshops,
    /// The provider means somebody else here.
    #[error("the provider means another person")]
    IdentityTaken,
    /// This is not the current password.
    #[error("not the current password")]
    WrongPassword,
    /// The password is too easily guessed.
    #[error("a weak password: {0:?}")]
    WeakPassword(WeakPassword),
    /// The workshop has been set up already.
    #[error("the workshop is set up already")]
    AlreadySetUp,
    /// The database does not answer.
    #[error("the database does not answer")]
    DatabaseAway(#[source] StoreError),
    /// There is no room on the database's disk.
    #[error("the disk is full")]
    DiskFull(#[source] StoreError),
    /// A stored record cannot be read: a later version wrote it, or somebody changed it by hand.
    #[error("a stored {what} cannot be read: {detail}")]
    Unreadable {
        /// What it is.
        what: &'static str,
        /// Why.
        detail: String,
    },
    /// The database refused, or holds something that cannot be read.
    #[error(transparent)]
    Storage(StoreError),
    /// A piece of work ended early.
    #[error("a piece of work ended early: {0}")]
    Task(#[from] tokio::task::JoinError),
    /// A piece of work ended by a fault of its own.
    #[error("a piece of work was interrupted")]
    Interrupted,
    /// Something cannot be written as text.
    #[error("cannot be written: {0}")]
    Encoding(#[from] serde_json::Error),
    /// A backup was not written, or is not whole.
    #[error("backup: {0}")]
    Backup(String),
    /// A sound could not be made.
    #[error("the sound could not be made: {0}")]
    Sound(String),
}

impl Refusal {
    /// A stable name for programs, in kebab case.
    #[must_use]
    pub fn code(&self) -> &'static str {
        self.into()
    }
}

impl From<StoreError> for Refusal {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::Missing(what) => Self::NotFound(what),
            StoreError::Changed(what) => Self::ChangedMeanwhile(what),
            StoreError::SignedOff => Self::RunClosed,
            StoreError::InUse(what) => Self::InUse(what),
            StoreError::LastOwner => Self::LastOwner,
            StoreError::Taken(index) if index == "readings_corrects" => Self::ReadingSuperseded,
            away @ StoreError::Away(_) => Self::DatabaseAway(away),
            full @ StoreError::DiskFull(_) => Self::DiskFull(full),
            StoreError::Unreadable { what, detail } => Self::Unreadable { what, detail },
            other => Self::Storage(other),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_code_is_the_variants_name() {
        assert_eq!(Refusal::RunClosed.code(), "run-closed");
        assert_eq!(Refusal::SpoolTooShort { left_m: 1.0, needed_m: 2.0 }.code(), "spool-too-short");
        assert_eq!(Refusal::from(StoreError::Missing("run")).code(), "not-found");
        assert_eq!(Refusal::from(StoreError::Taken("readings_corrects".into())).code(), "reading-superseded");
    }
}
