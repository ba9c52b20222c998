//! Experiments: two revisions that differ in one thing, what that does, and what was heard without knowing which is which.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::drawing::chart::interval;
use crate::error::AppError;
use crate::form::{Errors, FormData};
use crate::format::{self, HENRY, KILOOHM, PICOFARAD, Scale};
use crate::layout::{Choice, Field, Frame};
use crate::pages::causes::newest;
use crate::pages::designs::differences_in_words;
use crate::pages::{self, redirect};
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::design::Design;
use rand::RngExt as _;
use store::design::{DesignFilter, Revision};
use store::experiment::{Experiment, NewExperiment, Sample, Score};
use store::logbook::{LogFilter, LogbookRow};
use store::{ClientKey, ExperimentId, ListeningId, RevisionId};
use trade::calibration::{CalibrationModel, Quantity};
use trade::experiment::{Effect, Noise, coils_needed, effect, letters, spread};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/experiments", web::get().to(list))
        .route("/experiments", web::post().to(begin))
        .route("/experiments/{id}", web::get().to(show))
        .route("/experiments/{id}/close", web::post().to(close))
        .route("/experiments/{id}/listen", web::post().to(listen))
        .route("/experiments/{id}/listen/{listening}", web::post().to(score));
}

#[derive(Template)]
#[template(path = "experiments/list.html")]
struct ListPage {
    frame: Frame,
    tab: &'static str,
    going: Vec<Listed>,
    closed: Vec<Listed>,
    key: ClientKey,
    fields: Vec<Field>,
    refused: bool,
}

struct Listed {
    row: Experiment,
    when: String,
}

async fn list_page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    errors: &Errors,
) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let mut choices = vec![Choice::new("", "choose")];
    for row in app.store.of(workshop).designs(&DesignFilter::default()).await? {
        for revision in app.store.of(workshop).revisions(row.design_id).await?.into_iter().take(12) {
            let words = format!("{} r{}: {}", revision.name, revision.number, revision.note);
            choices.push(Choice::new(revision.id.to_string(), words.chars().take(90).collect::<String>()));
        }
    }
    let field = |field: Field| {
        let value = form.get(&field.name).to_owned();
        field.with(&value, errors)
    };
    let (closed, going): (Vec<Listed>, Vec<Listed>) = app
        .store
        .of(workshop)
        .experiments()
        .await?
        .into_iter()
        .map(|row| Listed { when: format::moment(row.made_at), row })
        .partition(|l| !l.row.closed.is_empty());
    let page = ListPage {
        frame: Frame::new(user, "logbook", "Experiments"),
        tab: "experiments",
        going,
        closed,
        key: form.key().unwrap_or_else(|_| ClientKey::random()),
        fields: vec![
            field(Field::typed(
                "question",
                "What do you want to know",
                "Such as: does plain enamel read differently from polyurethane?",
            ))
            .wide(),
            field(Field::chosen("first", "This revision", "The one to compare with.", choices.clone())),
            field(Field::chosen("second", "against this one", "It should differ in one thing.", choices)),
            Field {
                unit: "%".into(),
                ..field(Field::typed(
                    "cares",
                    "A difference matters from",
                    "Below it, you would not care. 2 is usual.",
                ))
            },
        ],
        refused: !errors.is_empty(),
    };
    pages::render_page(&page, !errors.is_empty())
}

async fn list(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    list_page(&app, &user, &FormData::default(), &Errors::new()).await
}

async fn begin(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let question = form.get("question");
    if question.is_empty() || question.chars().count() > 300 {
        errors.insert("question".into(), "Say what you want to know, in up to 300 letters.".into());
    }
    let mut revision = |name: &str| {
        let id = form.get(name).parse::<u64>().ok();
        if id.is_none() {
            errors.insert(name.into(), "Choose a revision.".into());
        }
        RevisionId(id.unwrap_or(0))
    };
    let (first, second) = (revision("first"), revision("second"));
    if first == second && first.0 != 0 {
        errors.insert("second".into(), "Choose another one: these are the same.".into());
    }
    let cares = match form.get("cares").trim_end_matches(['%', ' ']).replace(',', ".").as_str() {
        "" => Some(2.0),
        text => text.parse::<f64>().ok().filter(|v| (0.1..=50.0).contains(v)),
    };
    if cares.is_none() {
        errors.insert("cares".into(), "Per cent, 0.1 to 50.".into());
    }
    let (Some(cares_percent), true) = (cares, errors.is_empty()) else {
        return list_page(&app, &user, &form, &errors).await;
    };
    let new = NewExperiment { key: form.key()?, question, first, second, cares_percent };
    let id = app.store.of(user.workshop()).begin_experiment(user.person.id, &new).await?;
    Ok(redirect(format!("/experiments/{id}")))
}

/// A quantity of an experiment.
struct Asked {
    name: &'static str,
    means: String,
    predicted: String,
    measured: String,
    drawing: String,
    words: String,
    class: &'static str,
}

/// A coil of an experiment.
struct CoilShown {
    run: u64,
    number: u32,
    family: usize,
    figures: String,
    heard: String,
}

struct ListeningShown {
    id: u64,
    by: String,
    when: String,
    letters: Vec<char>,
    /// Letter, coil and scores, once it is scored.
    scored: Vec<(char, String, Score)>,
    sum: String,
    key: Vec<(char, u32)>,
}

#[derive(Template)]
#[template(path = "experiments/experiment.html")]
struct ExperimentPage {
    frame: Frame,
    tab: &'static str,
    row: Experiment,
    families: Vec<(u64, String, usize)>,
    differs: Vec<crate::pages::designs::Difference>,
    asked: Vec<Asked>,
    coils: Vec<CoilShown>,
    listenings: Vec<ListeningShown>,
    key: ClientKey,
    can_listen: bool,
    hidden: bool,
    errors: Vec<String>,
}

fn per_cent(v: f64) -> String {
    format!("{:+.1} %", v * 100.0).replace('-', "−")
}

/// A coil's logarithm with spool, hand and winder taken off, as far as they were learned.
fn adjusted(line: &LogbookRow, quantity: Quantity, model: Option<&CalibrationModel>) -> Option<f64> {
    let value = match quantity {
        Quantity::Resistance => line.resistance_ohm,
        Quantity::Inductance => line.inductance_h,
        Quantity::Capacitance => line.capacitance_f,
        Quantity::Build => None,
    }?;
    let others = model
        .and_then(|l| l.of(quantity))
        .map_or(0.0, |fitted| fitted.factor_effects(&line.observation().factor_levels));
    Some(value.ln() - others)
}

fn words(found: Option<&Effect>, needed: Option<u32>, have: usize, cares: f64) -> (String, &'static str) {
    let more = match needed {
        Some(n) if (n as usize) > have => format!(
            " To see {cares} % four times in five, about {n} coils of each are needed: {} more.",
            n as usize - have
        ),
        Some(n) => format!(" {n} of each are enough to see {cares} %."),
        None => String::new(),
    };
    match found {
        None => (format!("Nothing to compare yet.{more}"), "waiting"),
        Some(e) if e.is_clear() => ("They differ.".into(), "look"),
        Some(e) if e.interval.0.abs().max(e.interval.1.abs()) * 100.0 < cares => {
            (format!("No difference that matters: less than {cares} % either way."), "pass")
        }
        Some(_) => (format!("No difference seen, and one of {cares} % is not ruled out.{more}"), "waiting"),
    }
}

fn asked_of(
    quantity: Quantity,
    scale: Scale,
    families: [&[LogbookRow]; 2],
    model: Option<&CalibrationModel>,
    predicted: Option<f64>,
    cares: f64,
) -> Asked {
    let values =
        families.map(|f| f.iter().filter_map(|l| adjusted(l, quantity, model)).collect::<Vec<f64>>());
    let noise =
        model.and_then(|l| l.of(quantity)).map(|fitted| Noise { sd: fitted.noise_sd(), runs: fitted.runs() });
    let found = effect(&values[0], &values[1], noise);
    let spread = spread(&[&values[0], &values[1]], noise);
    let needed = spread.and_then(|(sd, _)| coils_needed(cares / 100.0, sd));
    let have = values[0].len().min(values[1].len());
    let (words, class) = words(found.as_ref(), needed, have, cares);
    let mean = |v: &[f64]| {
        if v.is_empty() { "–".to_owned() } else { scale.finer().text(trade::consistency::mean(v).exp()) }
    };
    Asked {
        name: quantity.name(),
        means: format!("{} and {}", mean(&values[0]), mean(&values[1])),
        predicted: predicted.map_or_else(|| "–".into(), per_cent),
        measured: found.as_ref().map_or_else(
            || "–".into(),
            |e| format!("{} ({} to {})", per_cent(e.by), per_cent(e.interval.0), per_cent(e.interval.1)),
        ),
        drawing: found.as_ref().map_or_else(String::new, |e| {
            let reach = (1.5 * cares / 100.0).max(1.2 * e.interval.0.abs()).max(1.2 * e.interval.1.abs());
            interval(e.by, e.interval.0, e.interval.1, reach)
        }),
        words,
        class,
    }
}

async fn family(app: &App, user: &CurrentUser, of: &Revision) -> Result<Vec<LogbookRow>, AppError> {
    let filter = LogFilter {
        design: Some(of.row.design_id),
        revision: Some(of.row.number),
        rising: true,
        ..LogFilter::default()
    };
    let mut lines = app.store.of(user.workshop()).log_lines(&filter, 500).await?;
    lines.retain(|l| l.level != "stop" && (l.resistance_ohm.is_some() || l.inductance_h.is_some()));
    Ok(lines)
}

async fn show(app: web::Data<App>, user: CurrentUser, id: web::Path<u64>) -> Result<HttpResponse, AppError> {
    experiment_page(&app, &user, ExperimentId(*id), Vec::new()).await
}

async fn experiment_page(
    app: &App,
    user: &CurrentUser,
    id: ExperimentId,
    errors: Vec<String>,
) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let row = app.store.of(workshop).experiment(id).await?;
    let revisions = [
        app.store.of(workshop).revision(row.first_id).await?,
        app.store.of(workshop).revision(row.second_id).await?,
    ];
    let families = [family(app, user, &revisions[0]).await?, family(app, user, &revisions[1]).await?];
    let model = newest(app, user).await?.map(|(_, _, _, model)| model);
    let predicted = [
        app.predictions.of(&revisions[0].design).await?.ok(),
        app.predictions.of(&revisions[1].design).await?.ok(),
    ];
    let ratio = |pick: fn(&coil::prediction::PickupPrediction) -> f64| match &predicted {
        [Some(a), Some(b)] => Some(pick(&b.pickup) / pick(&a.pickup) - 1.0),
        _ => None,
    };
    let of = [
        (Quantity::Resistance, KILOOHM, ratio(|p| p.resistance_20c_ohm.nominal)),
        (Quantity::Inductance, HENRY, ratio(|p| p.inductance_h.nominal)),
        (Quantity::Capacitance, PICOFARAD, ratio(|p| p.capacitance_f.nominal)),
    ];
    let asked = of
        .into_iter()
        .map(|(quantity, scale, predicted)| {
            let families = [families[0].as_slice(), families[1].as_slice()];
            asked_of(quantity, scale, families, model.as_deref(), predicted, row.cares_percent)
        })
        .filter(|a| a.name != "capacitance" || a.measured != "–")
        .collect();
    let listenings = app.store.of(workshop).listenings(id).await?;
    let lines: Vec<(usize, &LogbookRow)> =
        families.iter().enumerate().flat_map(|(k, f)| f.iter().map(move |l| (k, l))).collect();
    let mut shown = Vec::new();
    for listening in &listenings {
        shown.push(listening_shown(listening, &lines)?);
    }
    let hidden = listenings.iter().any(|l| l.scored_at.is_none());
    let designs: [&Design; 2] = [&revisions[0].design, &revisions[1].design];
    let page = ExperimentPage {
        frame: Frame::new(user, "logbook", row.question.clone()),
        tab: "experiments",
        families: revisions
            .iter()
            .zip(&families)
            .map(|(r, f)| (r.row.id.0, format!("{} r{}", r.row.name, r.row.number), f.len()))
            .collect(),
        differs: differences_in_words(designs[0], &[designs[1]]),
        asked,
        coils: lines
            .iter()
            .map(|(family, l)| CoilShown {
                run: l.run_id.0,
                number: l.number,
                family: *family,
                figures: [
                    l.resistance_ohm.map(|v| KILOOHM.finer().text(v)),
                    l.inductance_h.map(|v| HENRY.finer().text(v)),
                    l.spool.as_ref().map(|s| format!("spool {s}")),
                    Some(l.operator.clone()),
                ]
                .into_iter()
                .flatten()
                .collect::<Vec<_>>()
                .join(" · "),
                heard: heard(l.number, &shown),
            })
            .collect(),
        listenings: shown,
        key: ClientKey::random(),
        can_listen: families.iter().all(|f| !f.is_empty()) && row.closed.is_empty() && !hidden,
        hidden,
        row,
        errors,
    };
    let refused = !page.errors.is_empty();
    pages::render_page(&page, refused)
}

/// What was heard of a coil in all listenings that were scored.
fn heard(run: u32, all: &[ListeningShown]) -> String {
    let scores: Vec<&Score> = all
        .iter()
        .flat_map(|l| &l.scored)
        .filter(|(_, name, _)| name.starts_with(&format!("run {run},")))
        .map(|(_, _, s)| s)
        .collect();
    if scores.is_empty() {
        return String::new();
    }
    let mean =
        |pick: fn(&Score) -> u8| scores.iter().map(|s| f64::from(pick(s))).sum::<f64>() / scores.len() as f64;
    let words: Vec<&str> = scores.iter().map(|s| s.words.as_str()).filter(|w| !w.is_empty()).collect();
    format!(
        "bright {:.1}, full {:.1}, liked {:.1}{}{}",
        mean(|s| s.bright),
        mean(|s| s.full),
        mean(|s| s.liked),
        if words.is_empty() { "" } else { "; " },
        words.join("; ")
    )
}

fn listening_shown(
    listening: &store::experiment::Listening,
    lines: &[(usize, &LogbookRow)],
) -> Result<ListeningShown, AppError> {
    let samples = listening.samples()?;
    let scores = listening.scores()?;
    let of = |sample: &Sample| lines.iter().find(|(_, l)| l.run_id == sample.run);
    let mut scored = Vec::new();
    let mut liked: [Vec<f64>; 2] = [Vec::new(), Vec::new()];
    for sample in samples.iter().filter(|_| listening.scored_at.is_some()) {
        let (Some((family, line)), Some(score)) =
            (of(sample), scores.iter().find(|s| s.letter == sample.letter))
        else {
            continue;
        };
        liked[*family].push(f64::from(score.bright));
        scored.push((
            sample.letter,
            format!("run {}, {} r{}", line.number, line.name, line.revision),
            score.clone(),
        ));
    }
    let sum = match liked.each_ref().map(|l| (!l.is_empty()).then(|| trade::consistency::mean(l))) {
        [Some(a), Some(b)] => {
            format!(
                "Brightness: {a:.1} for the first, {b:.1} for the second, of ten. A listening of few samples proves little."
            )
        }
        _ => String::new(),
    };
    Ok(ListeningShown {
        id: listening.id.0,
        by: listening.by.clone(),
        when: format::moment(listening.begun_at),
        letters: if listening.scored_at.is_some() {
            Vec::new()
        } else {
            samples.iter().map(|s| s.letter).collect()
        },
        key: if listening.scored_at.is_some() {
            Vec::new()
        } else {
            samples.iter().filter_map(|s| of(s).map(|(_, l)| (s.letter, l.number))).collect()
        },
        scored,
        sum,
    })
}

async fn close(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let words = form.get("words");
    if words.chars().count() > 1000 {
        return Err(AppError::Unreadable("What came of it has up to 1,000 letters.".into()));
    }
    app.store.of(user.workshop()).close_experiment(ExperimentId(*id), words).await?;
    Ok(redirect(format!("/experiments/{id}")))
}

/// Begins a blind listening: up to three coils of each, under letters drawn by lot.
async fn listen(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let workshop = user.workshop();
    let row = app.store.of(workshop).experiment(ExperimentId(*id)).await?;
    let mut runs = Vec::new();
    for revision in [row.first_id, row.second_id] {
        let revision = app.store.of(workshop).revision(revision).await?;
        let lines = family(&app, &user, &revision).await?;
        runs.extend(lines.iter().rev().take(3).map(|l| l.run_id));
    }
    let drawn = letters(runs.len(), rand::rng().random());
    let samples: Vec<Sample> =
        runs.into_iter().zip(drawn).map(|(run, letter)| Sample { letter, run }).collect();
    app.store.of(workshop).begin_listening(ExperimentId(*id), user.person.id, &form.key()?, &samples).await?;
    Ok(redirect(format!("/experiments/{id}")))
}

async fn score(
    app: web::Data<App>,
    user: CurrentUser,
    path: web::Path<(u64, u64)>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (id, listening) = path.into_inner();
    let workshop = user.workshop();
    let all = app.store.of(workshop).listenings(ExperimentId(id)).await?;
    let Some(found) = all.iter().find(|l| l.id.0 == listening) else {
        return Err(AppError::Missing("listening"));
    };
    let (mut scores, mut errors) = (Vec::new(), Vec::new());
    for Sample { letter, .. } in found.samples()? {
        let mut of = |what: &str| {
            let value = form.get(&format!("{what}-{letter}")).parse::<u8>().ok().filter(|v| *v <= 10);
            if value.is_none() {
                errors.push(format!("Sample {letter}: {what} is a number from 0 to 10."));
            }
            value.unwrap_or(0)
        };
        let (bright, full, liked) = (of("bright"), of("full"), of("liked"));
        let words = form.get(&format!("words-{letter}")).chars().take(300).collect();
        scores.push(Score { letter, bright, full, liked, words });
    }
    if !errors.is_empty() {
        return experiment_page(&app, &user, ExperimentId(id), errors).await;
    }
    app.store.of(workshop).score_listening(ListeningId(listening), &scores).await?;
    Ok(redirect(format!("/experiments/{id}")))
}
