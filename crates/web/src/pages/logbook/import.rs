//! Bringing runs in: read, checked line by line, and only then taken, all or none.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::format;
use crate::jobs::Job;
use crate::layout::{Field, Frame};
use crate::pages::{self, redirect};
use actix_web::{HttpResponse, web};
use askama::Template;
use askama_web::WebTemplate;
use coil::design::Design;
use coil::prediction::Calibration;
use sha2::{Digest as _, Sha256};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::sync::Arc;
use store::import::ImportedRun;
use store::reading::NewReading;
use store::{ClientKey, InstrumentId, PersonId, RevisionId, SpoolId};
use trade::judgement::judge_run;
use trade::reading::{Kind, Reading};
use trade::run_import::{COLUMNS, ImportLine, ImportRow, read};

/// What becomes of a line.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Fate {
    New,
    /// It is in the logbook already, or further up.
    Known,
    Wrong,
}

/// A line in the preview.
struct Shown {
    number: usize,
    fate: Fate,
    started: String,
    design: String,
    spool: String,
    who: String,
    turns: String,
    resistance: String,
    inductance: String,
    messages: Vec<String>,
}

#[derive(Template)]
#[template(path = "logbook/import.html")]
struct ImportPage {
    frame: Frame,
    tab: &'static str,
    key: ClientKey,
    text: String,
    error: String,
    columns: String,
    shown: Vec<Shown>,
    /// Lines beyond those shown.
    hidden: usize,
    new: usize,
    known: usize,
    wrong: usize,
}

/// Lines shown in the preview; all that are wrong are among them.
const SHOWN: usize = 200;

fn page(user: &CurrentUser, text: &str, error: &str, key: ClientKey) -> ImportPage {
    ImportPage {
        frame: Frame::new(user, "logbook", "Bring runs in"),
        tab: "runs",
        key,
        text: text.to_owned(),
        error: error.to_owned(),
        columns: COLUMNS[..COLUMNS.len() - 1].join(", "),
        shown: Vec::new(),
        hidden: 0,
        new: 0,
        known: 0,
        wrong: 0,
    }
}

pub async fn show(user: CurrentUser) -> Result<HttpResponse, AppError> {
    pages::render_page(&page(&user, "", "", ClientKey::random()), false)
}

/// A line with all its names found.
struct Placed {
    entry: ImportRow,
    key: ClientKey,
    revision: RevisionId,
    design: Arc<Design>,
    spool: Option<(SpoolId, coil::design::Spool)>,
    operator: PersonId,
    winder: Option<InstrumentId>,
}

/// The names of a workshop, in small letters.
struct Known {
    designs: BTreeMap<String, Vec<(u32, RevisionId)>>,
    spools: BTreeMap<String, (SpoolId, coil::design::Spool)>,
    people: BTreeMap<String, PersonId>,
    winders: BTreeMap<String, InstrumentId>,
    /// Every name as it is written, by its small letters.
    written: BTreeMap<String, String>,
}

impl Known {
    async fn of(app: &App, user: &CurrentUser) -> Result<Self, AppError> {
        let workshop = user.workshop();
        let mut designs: BTreeMap<String, Vec<(u32, RevisionId)>> = BTreeMap::new();
        let mut written = BTreeMap::new();
        for (name, number, id) in app.store.of(workshop).revision_names().await? {
            written.insert(name.to_lowercase(), name.clone());
            designs.entry(name.to_lowercase()).or_default().push((number, id));
        }
        let spools = app.store.of(workshop).spools().await?;
        let people = app.store.of(workshop).people().await?;
        let instruments = app.store.of(workshop).instruments().await?;
        let names = spools.iter().map(|s| &s.label).chain(people.iter().map(|p| &p.name));
        for name in names.chain(instruments.iter().map(|i| &i.name)) {
            written.insert(name.to_lowercase(), name.clone());
        }
        Ok(Self {
            written,
            designs,
            spools: spools.iter().map(|s| (s.label.to_lowercase(), (s.id, s.measured()))).collect(),
            people: people.iter().map(|p| (p.name.to_lowercase(), p.id)).collect(),
            winders: instruments
                .iter()
                .filter(|i| i.kind == "winder")
                .map(|i| (i.name.to_lowercase(), i.id))
                .collect(),
        })
    }
}

/// The name among some that is most like another, if one is like it at all.
fn likest<'a>(name: &str, all: impl Iterator<Item = &'a String>) -> Option<&'a String> {
    let pairs = |text: &str| -> BTreeSet<(char, char)> {
        let letters: Vec<char> = text.to_lowercase().chars().collect();
        letters.windows(2).map(|w| (w[0], w[1])).collect()
    };
    let own = pairs(name);
    let alike = |other: &str| {
        let theirs = pairs(other);
        2.0 * own.intersection(&theirs).count() as f64 / (own.len() + theirs.len()).max(1) as f64
    };
    all.map(|other| (alike(other), other))
        .filter(|(a, _)| *a > 0.4)
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .map(|(_, n)| n)
}

fn unknown<'a>(
    what: &str,
    name: &str,
    all: impl Iterator<Item = &'a String>,
    written: &BTreeMap<String, String>,
) -> String {
    match likest(name, all) {
        Some(other) => {
            let other = written.get(other).unwrap_or(other);
            format!("There is no {what} “{name}” here; did you mean “{other}”?")
        }
        None => format!("There is no {what} “{name}” here: add it first, or mend the name."),
    }
}

/// A key drawn from what a line says: the same line again is the same run.
fn key_of(entry: &ImportRow) -> ClientKey {
    if let Ok(key) = entry.key.parse() {
        return key;
    }
    let mut hash = Sha256::new();
    hash.update(format!("{entry:?}"));
    let mut text = String::new();
    for byte in &hash.finalize()[..16] {
        let _ = write!(text, "{byte:02x}");
    }
    text.parse().unwrap_or_else(|_| ClientKey::random())
}

/// Finds a line's names; what is not found is added to its errors.
fn place(
    line: &mut ImportLine,
    known: &Known,
    designs: &BTreeMap<RevisionId, Arc<Design>>,
    user: &CurrentUser,
) -> Option<Placed> {
    let entry = line.entry.clone();
    let mut wrong = |column: &str, message: String| line.errors.push((column.to_owned(), message));
    let revision = match known.designs.get(&entry.design.to_lowercase()) {
        None if entry.design.is_empty() => None,
        None => {
            wrong("design", unknown("design", &entry.design, known.designs.keys(), &known.written));
            None
        }
        Some(all) => {
            let found = match entry.revision {
                Some(number) => all.iter().find(|(n, _)| *n == number),
                None => all.iter().max_by_key(|(n, _)| *n),
            };
            if found.is_none() {
                let all: Vec<String> = all.iter().map(|(n, _)| format!("r{n}")).collect();
                wrong(
                    "revision",
                    format!("{} has no such revision; there are {}.", entry.design, all.join(", ")),
                );
            }
            found.map(|(_, id)| *id)
        }
    };
    let spool = known.spools.get(&entry.spool.to_lowercase()).copied();
    if spool.is_none() && !entry.spool.is_empty() {
        wrong("spool", unknown("spool", &entry.spool, known.spools.keys(), &known.written));
    }
    let operator = if entry.operator.is_empty() {
        Some(user.person.id)
    } else {
        known.people.get(&entry.operator.to_lowercase()).copied()
    };
    if operator.is_none() {
        wrong("operator", unknown("person", &entry.operator, known.people.keys(), &known.written));
    }
    let winder = known.winders.get(&entry.winder.to_lowercase()).copied();
    if winder.is_none() && !entry.winder.is_empty() {
        wrong("winder", unknown("winder", &entry.winder, known.winders.keys(), &known.written));
    }
    if !line.errors.is_empty() {
        return None;
    }
    let revision = revision?;
    Some(Placed {
        key: key_of(&entry),
        revision,
        design: Arc::clone(designs.get(&revision)?),
        spool,
        operator: operator?,
        winder,
        entry,
    })
}

/// Lines with what became of each.
struct Checked {
    lines: Vec<(ImportLine, Fate, &'static str)>,
    new: Vec<Placed>,
}

async fn checked(app: &App, user: &CurrentUser, mut lines: Vec<ImportLine>) -> Result<Checked, AppError> {
    let workshop = user.workshop();
    let known = Known::of(app, user).await?;
    let mut designs: BTreeMap<RevisionId, Arc<Design>> = BTreeMap::new();
    for line in &lines {
        for (_, id) in known.designs.get(&line.entry.design.to_lowercase()).into_iter().flatten() {
            if !designs.contains_key(id) {
                designs.insert(*id, Arc::new(app.store.of(workshop).revision(*id).await?.design));
            }
        }
    }
    let placed: Vec<Option<Placed>> =
        lines.iter_mut().map(|line| place(line, &known, &designs, user)).collect();
    let keys: Vec<ClientKey> = placed.iter().flatten().map(|p| p.key.clone()).collect();
    let there = app.store.of(workshop).known_runs(&keys).await?;
    let mut alike: BTreeMap<(RevisionId, time::Date), Vec<(f64, f64)>> = BTreeMap::new();
    for (revision, day, turns, ohms) in app.store.of(workshop).runs_alike().await? {
        alike.entry((revision, day)).or_default().push((turns, ohms));
    }
    let mut seen = BTreeSet::new();
    let (mut told, mut new) = (Vec::new(), Vec::new());
    for (line, placed) in lines.into_iter().zip(placed) {
        let Some(placed) = placed else {
            told.push((line, Fate::Wrong, ""));
            continue;
        };
        let ohms = line
            .entry
            .resistance_ohm
            .map(|ohms| coil::wire::at_temperature(ohms, line.entry.coil_c.unwrap_or(20.0), 20.0));
        // The same revision on the same day with the same turns and ohms to a ten-thousandth: typed here before.
        let same = ohms.zip(line.entry.turns).zip(line.entry.started).is_some_and(|((ohms, turns), at)| {
            alike.get(&(placed.revision, at.date())).is_some_and(|all| {
                all.iter().any(|(t, r)| (t - f64::from(turns)).abs() < 0.5 && (r / ohms - 1.0).abs() < 1e-4)
            })
        });
        let why = if there.contains(placed.key.as_str()) {
            "in the logbook already"
        } else if !seen.insert(placed.key.to_string()) {
            "the same as a line further up"
        } else if same {
            "a run of that day with the same turns and resistance is in the logbook already"
        } else {
            new.push(placed);
            told.push((line, Fate::New, ""));
            continue;
        };
        told.push((line, Fate::Known, why));
    }
    Ok(Checked { lines: told, new })
}

fn shown((line, fate, why): &(ImportLine, Fate, &'static str)) -> Shown {
    let entry = &line.entry;
    let mut messages: Vec<String> = line
        .errors
        .iter()
        .map(
            |(column, message)| {
                if column.is_empty() { message.clone() } else { format!("{column}: {message}") }
            },
        )
        .collect();
    if !why.is_empty() {
        messages.push((*why).to_owned());
    }
    Shown {
        number: line.number,
        fate: *fate,
        started: entry.started.map_or_else(String::new, format::moment),
        design: entry.design.clone() + &entry.revision.map_or_else(String::new, |r| format!(" r{r}")),
        spool: entry.spool.clone(),
        who: entry.operator.clone(),
        turns: entry.turns.map_or_else(String::new, format::turns),
        resistance: entry.resistance_ohm.map_or_else(String::new, |v| format::KILOOHM.text(v)),
        inductance: entry.inductance_h.map_or_else(String::new, |v| format::HENRY.text(v)),
        messages,
    }
}

/// Reads what was brought, and shows it; or takes it, once it was seen and nothing is wrong with it.
pub async fn check(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let text = form.0.get("text").cloned().unwrap_or_default();
    let key = form.key()?;
    let lines = match read(&text) {
        Ok(lines) => lines,
        Err(message) => {
            return pages::render_page(&page(&user, &text, &message, key), true);
        }
    };
    let checked = checked(&app, &user, lines).await?;
    let count = |fate: Fate| checked.lines.iter().filter(|(_, f, _)| *f == fate).count();
    let wrong = count(Fate::Wrong);
    if form.get("take") == "yes" && (wrong == 0 || form.get("without") == "yes") && !checked.new.is_empty() {
        return take(&app, &user, checked.new);
    }
    let mut page = page(&user, &text, "", key);
    (page.new, page.known, page.wrong) = (count(Fate::New), count(Fate::Known), wrong);
    let mut first: Vec<&(ImportLine, Fate, &'static str)> = checked.lines.iter().collect();
    // What is wrong first; beyond the room of the page the rest is as good as these.
    first.sort_by_key(|(line, fate, _)| (*fate != Fate::Wrong, line.number));
    page.hidden = first.len().saturating_sub(SHOWN);
    page.shown = first.into_iter().take(SHOWN).map(shown).collect();
    pages::render_page(&page, wrong > 0)
}

/// Judges the runs and takes them in, behind a page that shows how far it is.
fn take(app: &web::Data<App>, user: &CurrentUser, placed: Vec<Placed>) -> Result<HttpResponse, AppError> {
    let Some((name, job)) = app.jobs.begin(user.workshop()) else {
        return Err(AppError::Unreadable(
            "Two long pieces of work are under way: try again in a minute.".into(),
        ));
    };
    let (app, workshop, by) = (app.clone(), user.workshop(), user.person.id);
    actix_web::rt::spawn(async move {
        let working = Arc::clone(&job);
        let record_judgement = web::block(move || record_judgement(placed, &working)).await;
        let result = match record_judgement {
            Err(error) => Err(error.to_string()),
            Ok(None) => Err("stopped".to_owned()),
            Ok(Some(runs)) => {
                app.store.of(workshop).import_runs(by, &runs).await.map_err(|error| error.to_string())
            }
        };
        job.finish(match result {
            Ok(new) => {
                app.calibrations.soon(&app.store, workshop);
                format!("ok {new}")
            }
            Err(message) => {
                tracing::warn!(%message, "nothing was brought in");
                format!("failed {message}")
            }
        });
    });
    Ok(redirect(format!("/logbook/import/{name}")))
}

/// Judges runs by the bare engine: what was known when they were wound is not known here. `None` when it was stopped.
fn record_judgement(placed: Vec<Placed>, job: &Job) -> Option<Vec<ImportedRun>> {
    let count = placed.len().max(1) as f64;
    let mut all = Vec::with_capacity(placed.len());
    for (k, p) in placed.into_iter().enumerate() {
        if !job.on(0.95 * k as f64 / count) {
            return None;
        }
        let entry = p.entry;
        let mut design = (*p.design).clone();
        let planned = entry.planned_turns.or(entry.turns);
        if let Some(coil) = design.coils.first_mut() {
            if let Some((_, measured)) = p.spool {
                coil.wire.spool = Some(measured);
            }
            if let Some(turns) = planned {
                coil.wind.turns = turns;
            }
        }
        let readings = readings_of(&entry);
        let taken: Vec<Reading> = readings
            .iter()
            .zip(1..)
            .map(|(r, id)| Reading {
                id,
                corrects: None,
                kind: r.kind,
                pole: None,
                value: r.value,
                coil_c: r.coil_c,
                test_hz: r.test_hz,
                probe_mm: None,
            })
            .collect();
        let outcome = judge_run(&design, &taken, &Calibration::default());
        all.push(ImportedRun {
            key: p.key,
            revision: p.revision,
            spool: p.spool.map(|(id, _)| id),
            operator: p.operator,
            winder: p.winder,
            at: entry.started?,
            planned_turns: planned.unwrap_or_else(|| design.coils.first().map_or(10, |c| c.wind.turns)),
            design,
            remark: entry.remark,
            readings,
            outcome,
        });
    }
    Some(all)
}

fn readings_of(entry: &ImportRow) -> Vec<NewReading> {
    let mut all = Vec::new();
    if let Some(turns) = entry.turns {
        all.push(NewReading::of(Kind::Turns, Some(f64::from(turns))));
    }
    if let Some(ohms) = entry.resistance_ohm {
        all.push(NewReading { coil_c: entry.coil_c, ..NewReading::of(Kind::Resistance, Some(ohms)) });
    }
    if let Some(henries) = entry.inductance_h {
        let test_hz = Some(entry.test_hz.unwrap_or(1000.0));
        all.push(NewReading { test_hz, ..NewReading::of(Kind::Inductance, Some(henries)) });
    }
    if let Some(farads) = entry.capacitance_f {
        all.push(NewReading::of(Kind::Capacitance, Some(farads)));
    }
    all
}

#[derive(Template, WebTemplate)]
#[template(path = "logbook/import_progress.html")]
pub struct BringingPage {
    frame: Frame,
    tab: &'static str,
    job: String,
    share: u32,
    /// How many came in, once all is done.
    done: Option<u32>,
    failed: String,
}

/// How far it is.
pub async fn standing(
    app: web::Data<App>,
    user: CurrentUser,
    name: web::Path<String>,
) -> Result<BringingPage, AppError> {
    let job = app.jobs.of(user.workshop(), &name).ok_or(AppError::Missing("piece of work"))?;
    let result = job.result().unwrap_or_default();
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a share, 0 to 100")]
    let share = (job.share() * 100.0).round() as u32;
    Ok(BringingPage {
        frame: Frame::new(&user, "logbook", "Bringing runs in"),
        tab: "runs",
        job: name.into_inner(),
        share,
        done: result.strip_prefix("ok ").and_then(|n| n.parse().ok()),
        failed: result.strip_prefix("failed ").unwrap_or_default().to_owned(),
    })
}

/// The same for the page's script.
pub async fn progress(
    app: web::Data<App>,
    user: CurrentUser,
    name: web::Path<String>,
) -> Result<HttpResponse, AppError> {
    let job = app.jobs.of(user.workshop(), &name).ok_or(AppError::Missing("piece of work"))?;
    let done = job.result().is_some();
    Ok(HttpResponse::Ok().json(serde_json::json!({ "share": job.share(), "done": done })))
}

impl ImportPage {
    fn field(&self) -> Field {
        let errors = Errors::from([("text".to_owned(), self.error.clone())]);
        Field::typed("text", "Table or document", "").with(&self.text, &errors)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_misspelt_name_is_guessed_and_a_strange_one_is_not() {
        let names = ["reed lap steel, bridge".to_owned(), "heron mandola".to_owned()];
        assert_eq!(likest("Heron mandolla", names.iter()), Some(&names[1]));
        assert_eq!(likest("zzz", names.iter()), None);
        let written = BTreeMap::from([(names[0].clone(), "Reed lap steel, bridge".to_owned())]);
        let text = unknown("design", "Reed lapsteel", names.iter(), &written);
        assert!(text.contains("did you mean “Reed lap steel"), "{text}");
    }

    #[test]
    fn the_same_line_has_the_same_key_and_another_another() {
        let entry = ImportRow { design: "Reed".into(), turns: Some(7620), ..ImportRow::default() };
        assert_eq!(key_of(&entry), key_of(&entry.clone()));
        assert_ne!(key_of(&entry), key_of(&ImportRow { turns: Some(7621), ..entry.clone() }));
        let key = ClientKey::random();
        assert_eq!(key_of(&ImportRow { key: key.to_string(), ..entry }), key);
    }
}
