//! Refusals of the use cases, in words.

use coil::search::{FamilyError, MOST_VARIANTS};
use presentation::format::{METRE, counted, signed_percent, turns};
use workshop::{Action, LONGEST_SIGN_IN, PIN_DIGITS, Refusal, SHORTEST_PASSWORD, WeakPassword};

/// Whole seconds, at least one.
pub(crate) fn seconds_up(duration: std::time::Duration) -> u64 {
    duration.as_secs() + u64::from(duration.subsec_nanos() > 0)
}

/// What somebody may not do, after “Your role does not allow”.
const fn action_text(action: Action) -> &'static str {
    match action {
        Action::OwnAccount => "changes to your account",
        Action::ReadRuns => "reading runs",
        Action::Wind => "winding and measuring",
        Action::ReadStock => "reading the inventory",
        Action::ChangeStock => "changing the inventory",
        Action::ReadInstruments => "seeing instruments",
        Action::ChangeInstruments => "changing instruments",
        Action::ReadDesigns => "reading designs",
        Action::ChangeDesigns => "changing designs",
        Action::ReadAnalysis => "reading the workshop’s figures",
        Action::ChangeAnalysis => "deciding about calibration, matching and experiments",
        Action::ReadOrders => "reading orders",
        Action::ChangeOrders => "changing orders",
        Action::ChangeTravellers => "changing travellers",
        Action::ImportRuns => "importing runs",
        Action::ManagePeople => "managing people",
        Action::ManageSettings => "changing the workshop’s settings",
        Action::ReadAudit => "reading the list of changes",
        Action::BackUp => "backups",
    }
}

/// Refusals of orders and the plan.
fn plan_text(refusal: &Refusal) -> String {
    match refusal {
        Refusal::UnusableOrder(_) => "Not saved: see the marked fields.".into(),
        Refusal::NotSchedulable(why) => format!("This cannot be planned: {}.", why.join("; ")),
        Refusal::NotItsTurn => "Others come before this operation, or it is signed already.".into(),
        Refusal::PinCannotHold => {
            "Nothing can be pinned there: it is past, or what comes before is not over by then.".into()
        }
        Refusal::UnusableOutage(_) => "Not noted: see the marked fields.".into(),
        other => other.to_string(),
    }
}

/// What is refused at the winder and at the bench.
fn winding_text(refusal: &Refusal) -> String {
    match refusal {
        Refusal::RunClosed => {
            "This run is signed off. Its readings can be corrected; no new ones are added.".into()
        }
        Refusal::RunVoid => "This run is void: take it back before you go on with it.".into(),
        Refusal::ReadingSuperseded => {
            "That reading was corrected meanwhile. Go back to the run and correct the newer one.".into()
        }
        Refusal::VerdictHoldsSigning(level) => format!(
            "Not signed: the verdict is “{}”. Read again, rework the coil, or sign with a reason.",
            level.name()
        ),
        Refusal::NotSigned(why) => format!("Not signed: {why}."),
        Refusal::SpoolTooShort { left_m, needed_m } => format!(
            "About {} are left, and the coil takes up to {}: weigh the spool, choose another, or start anyway.",
            METRE.text(*left_m),
            METRE.text(*needed_m)
        ),
        Refusal::OtherWire { on_spool, in_design, resistance } => format!(
            "{on_spool} is on this spool, and the design names {in_design}: about {} in resistance. Choose another spool, or say why \
             this one is wound.",
            signed_percent(*resistance, 0)
        ),
        Refusal::MachineProfile(_) => "That cannot be a machine: see the fields.".into(),
        Refusal::MachineLimits(why) => format!("Not for this machine: {why}."),
        Refusal::ImpossibleReading { kind, value } => format!(
            "Nothing is logged: {} cannot be {value:.4e}. Look at the instrument’s range and leads, and read again.",
            kind.name()
        ),
        Refusal::CoilTemperatureUnknown => {
            "The meter has no thermometer on the coil: type the coil’s temperature.".into()
        }
        Refusal::CounterNotTaken { counter, log } => format!(
            "The counter shows {}, and {} turns are on this coil: set the counter, or say that its turns are this coil’s.",
            turns(*counter),
            turns(*log)
        ),
        Refusal::WinderInUse { run } => {
            format!(
                "This winder counts for run {run}, which is open. Take it over here if that coil is off it."
            )
        }
        Refusal::ImplausibleTurns { turns: said, planned } => format!(
            "{} turns are far beyond the {} planned. Correct the number, or confirm it.",
            turns(*said),
            turns(*planned)
        ),
        other => other.to_string(),
    }
}

/// What the machine or its records do not bear.
fn system_text(refusal: &Refusal) -> String {
    match refusal {
        Refusal::TooCostly { needed_s, most_s, place } => format!(
            "Computing this would keep the machine busy for about {needed_s:.0} s; one request may take {most_s:.0} s. {place} \
             takes most: make it smaller, leave out what lies far from the coils, or compare fewer at once."
        ),
        Refusal::Unreadable { what, detail } => format!(
            "The stored {what} cannot be read ({detail}). Lists go on without it; whoever may change designs can export or \
             delete it under Unreadable records."
        ),
        other => other.to_string(),
    }
}

/// A refusal as people read it.
pub(crate) fn refusal_text(refusal: &Refusal) -> String {
    match refusal {
        Refusal::RunClosed
        | Refusal::RunVoid
        | Refusal::ReadingSuperseded
        | Refusal::VerdictHoldsSigning(_)
        | Refusal::NotSigned(_)
        | Refusal::SpoolTooShort { .. }
        | Refusal::OtherWire { .. }
        | Refusal::MachineLimits(_)
        | Refusal::MachineProfile(_)
        | Refusal::CoilTemperatureUnknown
        | Refusal::ImpossibleReading { .. }
        | Refusal::CounterNotTaken { .. }
        | Refusal::WinderInUse { .. }
        | Refusal::ImplausibleTurns { .. } => winding_text(refusal),
        Refusal::NotFound(what) => format!("There is no such {what} in this workshop."),
        Refusal::NameTaken(what) => format!("There is another {what} with this name: choose another name."),
        Refusal::InUse(what) => {
            format!("Something depends on this {what}, so it stays. What is no longer used can be archived or retired.")
        }
        Refusal::ChangedMeanwhile(what) => format!(
            "Somebody else changed this {what} after you opened it. What you entered is still here, and nothing was saved: \
             open it anew, see what they wrote, and enter yours there."
        ),
        Refusal::NotPredictable(problems) => problems.first().map_or_else(
            || "This design cannot be predicted.".into(),
            |p| format!("This design cannot be predicted: {}; {}.", p.text, p.try_),
        ),
        Refusal::TooCostly { .. } | Refusal::Unreadable { .. } => system_text(refusal),
        Refusal::NewerRevision(row) => format!("Somebody saved r{} in the meantime.", row.number),
        Refusal::NothingNew => "Nothing differs from the revision before: there is nothing to save.".into(),
        Refusal::AdjustmentOutOfRange => "This adjustment leads outside the allowed range.".into(),
        Refusal::TooManyJobs => format!("{} jobs are running. Try again in a minute.", turns(2_u32)),
        Refusal::NotOneOfEachCoil => "A pickup is assembled of one of each coil of one design, each wound by itself.".into(),
        Refusal::NotAPicture => {
            "This is no picture that can be read: JPEG, PNG or WebP, up to 16 MB and 24 megapixels (14 for a progressive JPEG).".into()
        }
        Refusal::TooManyPhotos => "There are as many photos of it as are kept: remove one first.".into(),
        Refusal::UnusableOrder(_)
        | Refusal::NotSchedulable(_)
        | Refusal::NotItsTurn
        | Refusal::PinCannotHold
        | Refusal::UnusableOutage(_) => plan_text(refusal),
        Refusal::CoilInAnotherSet => "One of these coils is in another set already.".into(),
        Refusal::ExperimentClosed
        | Refusal::ListeningKeySeen
        | Refusal::ListeningScored
        | Refusal::NotComparable
        | Refusal::NoFamily(_) => experiment_text(refusal),
        Refusal::NoCalibration => "There is no calibration yet that could be frozen.".into(),
        Refusal::AddressNotAllowed(_) | Refusal::UnusableNetwork(_) | Refusal::Instrument { .. } => {
            instrument_text(refusal)
        }
        Refusal::ReasonMissing => "Say why, in a few words.".into(),
        Refusal::InputUnknown => "Enter the capacitance of its input first.".into(),
        Refusal::NotSimulated => "Faults can only be set on a simulated instrument.".into(),
        Refusal::TooManyAttempts { retry_after } => {
            format!("Too many wrong attempts. Try again in {}.", counted(seconds_up(*retry_after), "second"))
        }
        Refusal::TooManyAtOnce(what) => {
            format!("Too many {what} at the same time for one person. Close some, then try again.")
        }
        Refusal::NotAllowed(action) => format!(
            "Your role here does not allow {}. An owner of the workshop can change your role; at a shared station \
             everyone is an operator.",
            action_text(*action)
        ),
        Refusal::LastOwner => "This is the only owner: make somebody else an owner first.".into(),
        Refusal::UnusableName => format!("Give a name of up to {LONGEST_SIGN_IN} letters."),
        Refusal::WrongSetUpCode => "This is not the code that the program printed when it started.".into(),
        Refusal::UnusableSignIn => {
            format!("Give a name of up to {LONGEST_SIGN_IN} letters without special characters.")
        }
        Refusal::UnusablePin
        | Refusal::SecondFactorSet
        | Refusal::WrongCode
        | Refusal::WrongPin
        | Refusal::PasskeysOff
        | Refusal::TooManyPasskeys
        | Refusal::WrongPasskey(_)
        | Refusal::SingleSignOnOff
        | Refusal::ProviderAway(_)
        | Refusal::NotProven(_)
        | Refusal::NoRole
        | Refusal::SeveralWorkshops
        | Refusal::IdentityTaken => sign_on_text(refusal),
        Refusal::WrongPassword => "This is not your current password.".into(),
        Refusal::WeakPassword(why) => weak_password_text(*why),
        Refusal::AlreadySetUp => "This workshop is set up already.".into(),
        Refusal::DiskFull(_) => "There is no room left on the disk of the database. Nothing of what you sent was written, and what was \
             written before is safe. Make room, go back, and send it again."
            .into(),
        Refusal::Backup(why) => format!("The backup: {why}."),
        Refusal::DatabaseAway(_)
        | Refusal::Storage(_)
        | Refusal::Task(_)
        | Refusal::Interrupted
        | Refusal::Encoding(_)
        | Refusal::Sound(_) => "Something failed on our side.".into(),
    }
}

/// Refusals of PINs, codes, passkeys and single sign-on. What the provider or the library says stands in the log: it may tell an attacker more than
/// it helps anybody else.
fn sign_on_text(refusal: &Refusal) -> String {
    match refusal {
        Refusal::UnusablePin => format!(
            "A PIN has {} to {} digits, and not all the same or in a row.",
            PIN_DIGITS.0, PIN_DIGITS.1
        ),
        Refusal::SecondFactorSet => {
            "You have a second factor. Remove it with your password on the account page, then set another one.".into()
        }
        Refusal::WrongCode => {
            "This is not the code of this moment. Each holds once, and for half a minute: wait for the next one.".into()
        }
        Refusal::WrongPin => "This is not the PIN.".into(),
        Refusal::PasskeysOff => {
            "Passkeys cannot be used here: your workshop does without them, or the address has no name and no TLS.".into()
        }
        Refusal::TooManyPasskeys => "You have as many passkeys as anybody may. Remove one first.".into(),
        Refusal::WrongPasskey(_) => {
            "This passkey is not known here, was removed, or its answer came too late. Try again, or sign in another way.".into()
        }
        Refusal::SingleSignOnOff => {
            "Single sign-on is switched off in your workshop, or your account is disabled. Ask an owner.".into()
        }
        Refusal::ProviderAway(_) => {
            "The provider does not answer. Try again in a moment, or sign in with your password.".into()
        }
        Refusal::NotProven(_) => "The provider did not sign you in. Begin again.".into(),
        Refusal::NoRole => {
            "The provider knows you, but no workshop here has a role for you. Ask an owner which group you need.".into()
        }
        Refusal::SeveralWorkshops => {
            "More than one workshop here has a role for you. Ask an owner to invite you, then link your account.".into()
        }
        Refusal::IdentityTaken => "This account of the provider belongs to somebody else here.".into(),
        other => other.to_string(),
    }
}

fn weak_password_text(why: WeakPassword) -> String {
    match why {
        WeakPassword::Short => format!("This is too short: at least {SHORTEST_PASSWORD} characters."),
        WeakPassword::Long => "This is too long for a password.".into(),
        WeakPassword::Guessable => {
            "This is too easily guessed. Take several words that do not belong together.".into()
        }
    }
}

fn instrument_text(refusal: &Refusal) -> String {
    match refusal {
        Refusal::AddressNotAllowed(address) => format!(
            "{address} lies in no network that is allowed for instruments, or does not answer to its name. The owner allows \
             networks and ports on the instruments page."
        ),
        Refusal::UnusableNetwork(why) => format!("Not a network for instruments: {why}."),
        Refusal::Instrument { name, source } => format!("{name}: {source}."),
        other => other.to_string(),
    }
}

fn experiment_text(refusal: &Refusal) -> String {
    match refusal {
        Refusal::ExperimentClosed => "This experiment is closed and cannot be changed.".into(),
        Refusal::ListeningKeySeen => {
            "You have seen which letter is which coil, so somebody else scores this listening.".into()
        }
        Refusal::NotComparable => "An experiment compares two to eight revisions, each once.".into(),
        Refusal::NoFamily(why) => family_text(why),
        _ => "This listening is scored already and cannot be changed.".into(),
    }
}

fn family_text(why: &FamilyError) -> String {
    match why {
        FamilyError::Empty => "Enter values other than the revision’s own.".into(),
        FamilyError::TooMany(many) => format!("{many} values are too many: up to {MOST_VARIANTS}."),
        FamilyError::Unreadable(words) => {
            format!(
                "“{words}” cannot be read. A list such as “7200, 7400”, or a range such as “7000 to 8000 by 250”."
            )
        }
        FamilyError::OutOfRange(words) => format!("At “{words}” there is no such pickup."),
        FamilyError::NoRange => "Write the values one by one: there is nothing between them.".into(),
    }
}
