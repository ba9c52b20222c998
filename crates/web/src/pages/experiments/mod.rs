//! Experiments: revisions that differ in one thing, what that does, and what was heard without knowing which is which.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::respond::{redirect, render_page};
use crate::route_table::routes;
use actix_web::{HttpResponse, web};
use askama::Template;
use coil::design::Design;
use presentation::differences::{Difference, differences_in_words};
use presentation::drawing::chart::interval;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::format::{self, HENRY, KILOOHM, PICOFARAD, Scale, signed_percent};
use store::experiment::{Experiment, Listening, NewExperiment, Sample, Score};
use store::logbook::LogbookRow;
use store::{ClientKey, ExperimentId, ListeningId, RevisionId};
use trade::calibration::Quantity;
use trade::listening::Comparison;
use workshop::{ExperimentDetails, FamilyRuns, HeardEffects, HeardWord, QuantityEffect, QuantityEffects};

routes! {
    GET "/experiments" [ReadAnalysis] => list;
    POST "/experiments" [ChangeAnalysis] => begin;
    GET "/experiments/{id}" [ReadAnalysis] => show;
    POST "/experiments/{id}/close" [ChangeAnalysis] => close;
    POST "/experiments/{id}/listen" [ChangeAnalysis] => listen;
    POST "/experiments/{id}/listen/{listening}" [ChangeAnalysis] => score;
    POST "/experiments/{id}/listen/{listening}/key" [ChangeAnalysis] => see_key;
}

/// Revisions that can be chosen by hand; "Vary this revision" makes larger families.
const MOST_CHOSEN: usize = 4;

#[derive(Template)]
#[template(path = "experiments/list.html")]
struct ListPage {
    frame: Frame,
    tab: &'static str,
    going: Vec<ListRow>,
    closed: Vec<ListRow>,
    key: ClientKey,
    fields: Vec<Field>,
    refused: bool,
}

struct ListRow {
    row: Experiment,
    when: String,
}

async fn list_page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    errors: &Errors,
) -> Result<HttpResponse, AppError> {
    let (experiments, revisions) = app.workshop.experiments(&user.actor).await?;
    let mut choices = vec![Choice::new("", "choose")];
    choices.extend(revisions.iter().map(|revision| {
        let words = format!("{} r{}: {}", revision.name, revision.number, revision.note);
        Choice::new(revision.id.to_string(), words.chars().take(90).collect::<String>())
    }));
    let field = |field: Field| field.filled(form, errors);
    let (closed, going): (Vec<ListRow>, Vec<ListRow>) = experiments
        .into_iter()
        .map(|row| ListRow { when: format::moment(row.made_at), row })
        .partition(|l| !l.row.closed.is_empty());
    let page = ListPage {
        frame: Frame::new(user, "logbook", "Experiments"),
        tab: "experiments",
        going,
        closed,
        key: form.key_or_new(),
        fields: vec![
            field(Field::typed(
                "question",
                "Question",
                "Such as: does plain enamel read differently from polyurethane?",
            ))
            .wide(),
            field(Field::chosen(
                "arm_0",
                "Revision to compare with",
                "The others are compared with this one.",
                choices.clone(),
            )),
            field(Field::chosen("arm_1", "Revision", "It should differ in one thing.", choices.clone())),
            field(Field::chosen("arm_2", "Another one", "", choices.clone())),
            field(Field::chosen("arm_3", "Another one", "", choices)),
            Field {
                unit: "%".into(),
                ..field(Field::typed("cares", "Smallest difference that matters", "2 % is usual."))
            },
        ],
        refused: !errors.is_empty(),
    };
    render_page(&page, !errors.is_empty())
}

async fn list(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    list_page(&app, &user, &FormData::default(), &Errors::new()).await
}

async fn begin(app: web::Data<App>, user: CurrentUser, form: FormData) -> Result<HttpResponse, AppError> {
    let mut errors = Errors::new();
    let question = form.get("question");
    if question.is_empty() || question.chars().count() > 300 {
        errors.insert("question".into(), "Write the question, in up to 300 letters.".into());
    }
    let mut arms: Vec<RevisionId> = Vec::new();
    for k in 0..MOST_CHOSEN {
        let name = format!("arm_{k}");
        match form.get(&name).parse::<u64>() {
            Ok(id) if arms.contains(&RevisionId(id)) => {
                errors.insert(name, "Choose another one: this stands above.".into());
            }
            Ok(id) => arms.push(RevisionId(id)),
            Err(_) if k < 2 => {
                errors.insert(name, "Choose a revision.".into());
            }
            Err(_) => {}
        }
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
    let new = NewExperiment { key: form.key()?, question, arms: &arms, cares_percent };
    let id = app.workshop.begin_experiment(&user.actor, &new).await?;
    Ok(redirect(format!("/experiments/{id}")))
}

/// A quantity of one revision against the first.
struct QuantityRow {
    /// The quantity; empty where the row above says it.
    name: &'static str,
    /// The rows that the quantity has.
    span: usize,
    arm: usize,
    arm_name: String,
    means: String,
    predicted: String,
    measured: String,
    drawing: String,
    words: String,
    class: &'static str,
}

/// How one revision was heard against the first, in one word.
struct HeardRow {
    word: &'static str,
    span: usize,
    arm: usize,
    arm_name: String,
    by: String,
    drawing: String,
    is_clear: bool,
}

/// A coil of an experiment.
struct CoilRow {
    run: u64,
    number: u32,
    family: usize,
    figures: String,
    heard: String,
}

struct ListeningRow {
    id: u64,
    by: String,
    when: String,
    letters: Vec<char>,
    /// Letter, coil and scores, once it is scored.
    scored: Vec<ScoredSample>,
    /// Whether whoever looks was shown the key, and what it says.
    key_seen: bool,
    key: Vec<(char, u32)>,
}

/// A sample with what was heard of it.
struct ScoredSample {
    letter: char,
    run: u32,
    coil: String,
    score: Score,
}

#[derive(Template)]
#[template(path = "experiments/experiment.html")]
struct ExperimentPage {
    frame: Frame,
    tab: &'static str,
    row: Experiment,
    families: Vec<(u64, String, usize)>,
    differences: Vec<Difference>,
    quantities: Vec<QuantityRow>,
    heard: Vec<HeardRow>,
    coils: Vec<CoilRow>,
    listenings: Vec<ListeningRow>,
    key: ClientKey,
    can_listen: bool,
    hidden: bool,
    errors: Vec<String>,
}

fn percent(ratio: f64) -> String {
    signed_percent(ratio, 1)
}

/// What a quantity's effect says, in words, and its class.
fn effect_words(of: &QuantityEffect, coils_needed: Option<u32>, matters: f64) -> (String, &'static str) {
    let more = match coils_needed {
        Some(n) if (n as usize) > of.coils => format!(
            " To see {matters} % four times in five, about {n} coils of each are needed: {} more.",
            n as usize - of.coils
        ),
        Some(n) => format!(" {n} of each are enough to see {matters} %."),
        None => String::new(),
    };
    match &of.effect {
        None => (format!("Nothing to compare yet.{more}"), "waiting"),
        Some(e) if e.is_clear() => ("They differ.".into(), "look"),
        Some(e) if e.interval.0.abs().max(e.interval.1.abs()) * 100.0 < matters => {
            (format!("No difference that matters: less than {matters} % either way."), "pass")
        }
        Some(_) => (format!("No difference seen, and one of {matters} % is not ruled out.{more}"), "waiting"),
    }
}

const fn scale(quantity: Quantity) -> Scale {
    match quantity {
        Quantity::Inductance => HENRY,
        Quantity::Capacitance => PICOFARAD,
        _ => KILOOHM,
    }
}

fn quantity_rows(of: &QuantityEffects, names: &[String], matters: f64) -> Vec<QuantityRow> {
    let mean = |arm: usize| {
        let value = of.means.get(arm).copied().flatten();
        value.map_or_else(|| "–".to_owned(), |v| scale(of.quantity).finer().text(v))
    };
    let row = |(k, effect): (usize, &QuantityEffect)| {
        let (words, class) = effect_words(effect, of.coils_needed, matters);
        QuantityRow {
            name: if k == 0 { of.quantity.name() } else { "" },
            span: of.effects.len(),
            arm: effect.arm,
            arm_name: names.get(effect.arm).cloned().unwrap_or_default(),
            means: format!("{} against {}", mean(effect.arm), mean(0)),
            predicted: effect.predicted.map_or_else(|| "–".into(), percent),
            measured: effect.effect.as_ref().map_or_else(
                || "–".into(),
                |e| format!("{} ({} to {})", percent(e.by), percent(e.interval.0), percent(e.interval.1)),
            ),
            drawing: effect.effect.as_ref().map_or_else(String::new, |e| {
                let reach =
                    (1.5 * matters / 100.0).max(1.2 * e.interval.0.abs()).max(1.2 * e.interval.1.abs());
                interval(e.by, e.interval.0, e.interval.1, reach)
            }),
            words,
            class,
        }
    };
    of.effects.iter().enumerate().map(row).collect()
}

const fn word_name(word: HeardWord) -> &'static str {
    match word {
        HeardWord::Bright => "bright",
        HeardWord::Full => "full",
        HeardWord::Liked => "liked",
    }
}

fn heard_rows(of: &HeardEffects, names: &[String]) -> Vec<HeardRow> {
    /// Half the width of a drawn interval, points of ten.
    const REACH: f64 = 5.0;
    let signed = |v: f64| format!("{v:+.1}").replace('-', "−");
    let row = |(k, comparison): (usize, &Option<Comparison>)| HeardRow {
        word: if k == 0 { word_name(of.word) } else { "" },
        span: of.comparisons.len(),
        arm: k + 1,
        arm_name: names.get(k + 1).cloned().unwrap_or_default(),
        by: comparison.map_or_else(
            || "too few scores".into(),
            |c| format!("{} ({} to {})", signed(c.by), signed(c.interval.0), signed(c.interval.1)),
        ),
        drawing: comparison.map_or_else(String::new, |c| {
            let ends = [c.interval.0, c.interval.1].map(|v| v.clamp(-REACH, REACH));
            interval(c.by.clamp(-REACH, REACH), ends[0], ends[1], REACH)
        }),
        is_clear: comparison.is_some_and(|c| c.is_clear()),
    };
    of.comparisons.iter().enumerate().map(row).collect()
}

/// What each revision is called: by its value, where they differ in one thing.
fn arm_names(families: &[FamilyRuns], differences: &[Difference]) -> Vec<String> {
    let name = |(k, family): (usize, &FamilyRuns)| {
        let row = &family.revision.row;
        match differences {
            [one] => {
                let value = one.values.get(k).map_or("", String::as_str);
                format!("{} {value} (r{})", one.what, row.number)
            }
            _ => format!("{} r{}", row.name, row.number),
        }
    };
    families.iter().enumerate().map(name).collect()
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
    let details = app.workshop.experiment(&user.actor, id).await?;
    let (hidden, can_listen) = (details.is_blind(), details.can_listen());
    let ExperimentDetails { experiment, families, quantities, heard: heard_words, listenings } = details;
    let lines: Vec<(usize, &LogbookRow)> =
        families.iter().enumerate().flat_map(|(k, f)| f.runs.iter().map(move |l| (k, l))).collect();
    let mut rows = Vec::new();
    for listening in &listenings {
        let is_seen = app.workshop.has_seen_listening_key(&user.actor, listening.id).await?;
        rows.push(listening_row(listening, &lines, is_seen).map_err(AppError::internal)?);
    }
    let Some((first, others)) = families.split_first() else { return Err(AppError::NotFound("experiment")) };
    let others: Vec<&Design> = others.iter().map(|f| &f.revision.design).collect();
    let differences = differences_in_words(&first.revision.design, &others, user.settings.units);
    let names = arm_names(&families, &differences);
    let page = ExperimentPage {
        frame: Frame::new(user, "logbook", experiment.question.clone()),
        tab: "experiments",
        families: families
            .iter()
            .zip(&names)
            .map(|(f, name)| (f.revision.row.id.0, name.clone(), f.runs.len()))
            .collect(),
        differences,
        quantities: quantities
            .iter()
            .flat_map(|q| quantity_rows(q, &names, experiment.cares_percent))
            .collect(),
        heard: heard_words.iter().flat_map(|h| heard_rows(h, &names)).collect(),
        coils: lines
            .iter()
            .map(|(family, l)| CoilRow {
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
                heard: heard(l.number, &rows),
            })
            .collect(),
        listenings: rows,
        key: ClientKey::random(),
        can_listen,
        hidden,
        row: experiment,
        errors,
    };
    let refused = !page.errors.is_empty();
    render_page(&page, refused)
}

/// What was heard of a coil in all listenings that were scored.
fn heard(run: u32, all: &[ListeningRow]) -> String {
    let scores: Vec<&Score> =
        all.iter().flat_map(|l| &l.scored).filter(|s| s.run == run).map(|s| &s.score).collect();
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

fn listening_row(
    listening: &Listening,
    lines: &[(usize, &LogbookRow)],
    key_seen: bool,
) -> Result<ListeningRow, store::StoreError> {
    let samples = listening.samples()?;
    let scores = listening.scores()?;
    let is_scored = listening.scored_at.is_some();
    let of = |sample: &Sample| lines.iter().find(|(_, l)| l.run_id == sample.run);
    let mut scored = Vec::new();
    for sample in samples.iter().filter(|_| is_scored) {
        let (Some((_, line)), Some(score)) = (of(sample), scores.iter().find(|s| s.letter == sample.letter))
        else {
            continue;
        };
        scored.push(ScoredSample {
            letter: sample.letter,
            run: line.number,
            coil: format!("run {}, {} r{}", line.number, line.name, line.revision),
            score: score.clone(),
        });
    }
    Ok(ListeningRow {
        id: listening.id.0,
        by: listening.by.clone(),
        when: format::moment(listening.begun_at),
        letters: if is_scored { Vec::new() } else { samples.iter().map(|s| s.letter).collect() },
        key_seen,
        key: if is_scored || !key_seen {
            Vec::new()
        } else {
            samples.iter().filter_map(|s| of(s).map(|(_, l)| (s.letter, l.number))).collect()
        },
        scored,
    })
}

async fn close(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let conclusion = form.get("words");
    if conclusion.is_empty() || conclusion.chars().count() > 1000 {
        let errors = vec!["A conclusion has 1 to 1,000 letters.".to_owned()];
        return experiment_page(&app, &user, ExperimentId(*id), errors).await;
    }
    app.workshop.close_experiment(&user.actor, ExperimentId(*id), conclusion).await?;
    Ok(redirect(format!("/experiments/{id}")))
}

/// Begins a blind listening.
async fn listen(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    app.workshop.begin_listening(&user.actor, ExperimentId(*id), &form.key()?).await?;
    Ok(redirect(format!("/experiments/{id}")))
}

/// Shows whoever fits the coils which letter is which.
async fn see_key(
    app: web::Data<App>,
    user: CurrentUser,
    path: web::Path<(u64, u64)>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    let (id, listening) = path.into_inner();
    app.workshop.see_listening_key(&user.actor, ExperimentId(id), ListeningId(listening)).await?;
    Ok(redirect(format!("/experiments/{id}")))
}

/// What was heard of every sample, or what is wrong with it.
fn scores(form: &FormData, samples: &[Sample]) -> Result<Vec<Score>, Vec<String>> {
    let (mut scores, mut errors) = (Vec::new(), Vec::new());
    for Sample { letter, .. } in samples {
        let mut of = |what: &str| {
            let value = form.get(&format!("{what}-{letter}")).parse::<u8>().ok().filter(|v| *v <= 10);
            if value.is_none() {
                errors.push(format!("Sample {letter}: {what} is a number from 0 to 10."));
            }
            value.unwrap_or(0)
        };
        let (bright, full, liked) = (of("bright"), of("full"), of("liked"));
        let words = form.get(&format!("words-{letter}")).chars().take(300).collect();
        scores.push(Score { letter: *letter, bright, full, liked, words });
    }
    if errors.is_empty() { Ok(scores) } else { Err(errors) }
}

async fn score(
    app: web::Data<App>,
    user: CurrentUser,
    path: web::Path<(u64, u64)>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (id, listening) = path.into_inner();
    let (id, listening) = (ExperimentId(id), ListeningId(listening));
    let samples = app.workshop.listening_samples(&user.actor, id, listening).await?;
    match scores(&form, &samples) {
        Ok(scores) => app.workshop.score_listening(&user.actor, listening, &scores).await?,
        Err(errors) => return experiment_page(&app, &user, id, errors).await,
    }
    Ok(redirect(format!("/experiments/{id}")))
}
