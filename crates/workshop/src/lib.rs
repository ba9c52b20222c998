//! The use cases: what a person can do in a workshop.
//!
//! Each takes an [`Actor`] and a typed command, checks it, computes, writes everything that belongs together in one
//! transaction, and returns a typed value or a [`Refusal`]. No HTTP, HTML or SQL: pages, an API, jobs and tests call the
//! same functions.
#![deny(missing_docs)]

mod actor;
mod assembly;
mod attention;
mod audit;
mod audition;
mod backup;
mod backups;
mod blocking;
mod calibration;
mod calibration_versions;
mod comparison;
mod consistency;
mod costs;
mod credentials;
mod deletion;
mod design_list;
mod designs;
mod events;
mod experiments;
mod feeds;
mod import;
mod import_names;
mod import_reviews;
mod instrument_networks;
mod instruments;
mod inventory;
mod jobs;
mod judging;
mod known_names;
mod level_names;
mod logbook;
mod machine_files;
mod matching;
mod measuring;
mod observed_times;
mod ordered_pickups;
mod orders;
mod passkeys;
mod people;
mod permission;
mod permits;
mod photos;
mod pickup_sets;
mod plan_cache;
mod plan_work;
mod planning;
mod policy_reports;
mod prediction_cache;
mod preview;
mod readings;
mod refusal;
mod restoration;
mod rewinds;
mod run_details;
mod sealed;
mod search;
mod search_results;
mod second_factor;
mod secret;
mod service;
mod sessions;
mod set_changes;
mod set_draft;
mod set_plans;
mod set_runs;
mod settings;
mod shop_figures;
mod shop_floor;
mod shop_hours;
mod sign_in_limit;
mod single_sign_on;
mod spoken_code;
mod start_run;
mod station;
mod stations;
mod supplies;
mod team;
mod timers;
mod travellers;
mod unreadable;
mod unsteady_designs;
mod winder_link;

pub use crate::instruments::{InstrumentState, analyser_of};
pub use ::identity::{OpenIdError, ProviderSettings, StartedSignIn};
pub use actor::Actor;
pub use assembly::Assembly;
pub use attention::{AttentionItem, MissingReading, Urgency};
pub use audit::AuditPage;
pub use audition::{Audition, AuditionSide};
pub use backup::{
    ARCHIVE_FORMAT, BackupError, BackupFile, BackupFolder, Manifest, Member, restore_archive, verify_archive,
    write_archive,
};
pub use blocking::{asked_by, with_turn, without_turn};
pub use calibration::{CalibrationOverview, CalibrationVersion, Effects};
pub use calibration_versions::AppliedCalibration;
pub use comparison::{ComparedId, ComparedPickup, MeasuredPickup};
pub use consistency::{ShiftExplanation, ShiftPart};
pub use costs::{DesignCost, WireCost};
pub use credentials::{
    LONGEST_SIGN_IN, SHORTEST_PASSWORD, WeakPassword, check_password, hash_password, password_strength,
    sign_in_name,
};
pub use designs::{RevisionDetails, SaveRevision, VaryRevision};
pub use events::LogEvent;
pub use experiments::{
    ExperimentDetails, FamilyRuns, HeardEffects, HeardWord, MOST_ARMS, QuantityEffect, QuantityEffects,
};
pub use feeds::FeedPlan;
pub use import::{ImportCheck, ImportOutcome, ReviewedLine};
pub use import_names::{NameColumn, NameDecision, NameDecisions, with_known_names};
pub use inventory::{SpoolState, is_low};
pub use jobs::{Job, JobOutcome};
pub use judging::RejudgeSummary;
pub use known_names::LineProblem;
pub use level_names::LevelNames;
pub use logbook::FilterChoices;
pub use matching::{MatchedCoils, MatchingPools, MatchingQuery, Strength, stronger};
pub use measuring::{CoolingReading, MeasureCommand};
pub use ordered_pickups::OrderedPickup;
pub use orders::{MOST_LINES, MOST_OF_A_LINE, OrderDraft, OrderItem, OrderLine, SaveOrder};
pub use passkeys::LONGEST_PASSKEY_NAME;
pub use people::{SetUp, SignInOutcome};
pub use permission::Action;
pub use permits::Permit;
pub use photos::{AddPhoto, LARGEST_PHOTO_BYTES};
pub use pickup_sets::{PredictedSet, SavePickupSet, SetPreview};
pub use plan_work::{PlannedJob, UNKNOWN_OUTAGE_DAYS};
pub use planning::ShopPlan;
pub use prediction_cache::{PlacedResult, PredictionResult, SolutionResult};
pub use preview::{
    ContextQuery, DesignContext, MOST_OVERLAYS, MeasuredCoils, Overlay, OverlayRef, Preview, Scatter,
};
pub use readings::{LogReadings, ReadingDoubt};
pub use refusal::Refusal;
pub use restoration::{CopyRewind, Restoration, RestorationOffer, RestorationWishes, RestoreRewind};
pub use rewinds::{ChosenExplanation, Looks, RewindDraft, SaveRewind};
pub use run_details::RunDetails;
pub use sealed::SecretKey;
pub use search::SearchCommand;
pub use search_results::{SearchResults, SetSearchResults};
pub use second_factor::SharedSecret;
pub use secret::Secret;
pub use service::Workshop;
pub use sessions::STATION_SESSION;
pub use set_changes::MakePartner;
pub use set_draft::{DraftPickup, SetDraft};
pub use set_plans::{SetUpSheet, ThirdString};
pub use set_runs::{RunInSet, SetCoil};
pub use settings::{
    IDLE_MINUTES, LONGEST_HOURS, LeadColours, PrivacySettings, STATION_REST_MINUTES, SessionPolicy,
    SingleSignOnSettings, WorkshopSettings,
};
pub use shop_figures::{KeptPromise, OperationFigure, ShopFigures};
pub use shop_floor::{BegunJob, MovedDate, OutageNote, OutageSubject, PlanMoves, ReportOutage, queue};
pub use shop_hours::{PersonHours, ShopHours};
pub use sign_in_limit::network_of;
pub use single_sign_on::{SignInWays, SingleSignOn};
pub use start_run::{CheckedStart, StartRun, WindableRevision};
pub use station::{TakeOver, WinderChoice, WinderCommand, WinderOnRun};
pub use stations::{PIN_DIGITS, STATION_CODE_LASTS, is_sound_pin};
pub use supplies::{OrderCost, Reservation, Supply};
pub use team::{Invitation, LINK_LASTS, MemberChange, PeopleManager, WorkshopMember};
pub use travellers::TravellerProgress;
pub use unsteady_designs::known_changes;
pub use winder_link::{StationState, StationTrouble, StopKey, WinderMotion};
