//! Consistency: whether coils of a design stay alike, and if not, since when and why.

use crate::app::App;
use crate::current_user::CurrentUser;
use crate::drawing::chart::{Phase, Point, RunChart, run_chart};
use crate::error::AppError;
use crate::format::{self, HENRY, KILOHERTZ, KILOOHM, PICOFARAD, Scale};
use crate::layout::{Choice, Frame};
use crate::pages::causes::Named;
use crate::query::Asked;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use coil::design::Aims;
use store::logbook::{LogFilter, LogbookRow};
use store::{DesignId, RevisionId};
use trade::calibration::{Factor, Observation, Quantity};
use trade::consistency::{
    Breach, Capability, LevelShift, Limits, Rule, best_pairs, breaches, capability, individuals, level_shift,
    moving_ranges, of_subgroups, subgroups, trend,
};

/// Routes.
pub fn routes(config: &mut web::ServiceConfig) {
    config.route("/consistency", web::get().to(show));
}

/// Most runs of one chart: the newest.
const MOST: u32 = 2000;

/// What a chart is of.
#[derive(Clone, Copy, PartialEq)]
struct Measured {
    key: &'static str,
    name: &'static str,
    scale: Scale,
    learned: Option<Quantity>,
}

const MEASURED: [Measured; 5] = [
    Measured { key: "r", name: "Resistance at 20 °C", scale: KILOOHM, learned: Some(Quantity::Resistance) },
    Measured { key: "l", name: "Inductance", scale: HENRY, learned: Some(Quantity::Inductance) },
    Measured { key: "c", name: "Capacitance", scale: PICOFARAD, learned: Some(Quantity::Capacitance) },
    Measured { key: "peak", name: "Loaded peak", scale: KILOHERTZ, learned: None },
    Measured { key: "flux", name: "Flux against expected", scale: format::PERCENT, learned: None },
];

impl Measured {
    fn of(self, line: &LogbookRow) -> Option<f64> {
        match self.key {
            "r" => line.resistance_ohm,
            "l" => line.inductance_h,
            "c" => line.capacitance_f,
            "peak" => line.peak_hz,
            _ => line.flux_ratio.map(f64::exp),
        }
    }

    /// Logarithm of measured over the bare engine's expectation.
    fn ratio(self, line: &LogbookRow) -> Option<f64> {
        match self.key {
            "r" => line.resistance_ratio,
            "l" => line.inductance_ratio,
            "c" => line.capacitance_ratio,
            _ => None,
        }
    }

    fn aim(self, aims: &Aims) -> Option<(f64, f64)> {
        let aim = match self.key {
            "r" => aims.resistance_ohm,
            "l" => aims.inductance_h,
            "c" => aims.capacitance_f,
            "peak" => aims.peak_hz,
            _ => None,
        };
        aim.map(|[from, to]| (from, to))
    }
}

/// A stretch that breaks a rule, in words.
struct Told {
    what: &'static str,
    why: &'static str,
    runs: String,
}

/// A figure that sums a chart up.
struct Sum {
    what: &'static str,
    value: String,
    words: String,
}

#[derive(Template, WebTemplate)]
#[template(path = "consistency/consistency.html")]
struct ConsistencyPage {
    frame: Frame,
    tab: &'static str,
    designs: Vec<Choice>,
    design: String,
    /// Choices with the one that is on: name, word, address.
    quantities: Vec<(bool, &'static str, String)>,
    bases: Vec<(bool, &'static str, String)>,
    charts: Vec<(bool, &'static str, String)>,
    name: String,
    /// The sentence above all.
    headline: String,
    steady: bool,
    /// Where the level moved, and what that comes from; empty where it did not.
    shift: String,
    parts: Vec<(String, String)>,
    chart: String,
    lower: String,
    lower_caption: &'static str,
    told: Vec<Told>,
    sums: Vec<Sum>,
    pairs: Vec<(u64, u32, u64, u32, String)>,
    rows: Vec<(u64, u32, String, String, bool)>,
    /// Why there is no chart; empty where there is one.
    none: String,
}

/// A number in per cent of a logarithm.
fn per_cent(ln: f64) -> String {
    format!("{:+.1} %", ln.exp_m1() * 100.0).replace('-', "−")
}

/// Everything of a series that the page speaks of.
struct Series {
    lines: Vec<LogbookRow>,
    values: Vec<f64>,
    /// Values are logarithms against the bare engine.
    relative: bool,
    measured: Measured,
}

impl Series {
    fn text(&self, value: f64) -> String {
        if self.relative { per_cent(value) } else { self.measured.scale.finer().text(value) }
    }

    fn run(&self, k: usize) -> String {
        self.lines.get(k).map_or_else(String::new, |l| format!("run {}", l.number))
    }
}

async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: web::Query<Vec<(String, String)>>,
) -> Result<ConsistencyPage, AppError> {
    let asked = Asked(query.into_inner());
    let workshop = user.workshop();
    let designs = app.store.of(workshop).logged_designs().await?;
    let most = designs.iter().max_by_key(|(_, _, n)| *n).map(|(id, _, _)| id.0);
    let design = asked.number("design").or(most);
    let measured = *MEASURED.iter().find(|m| m.key == asked.get("of")).unwrap_or(&MEASURED[0]);
    let mut lines = Vec::new();
    if let Some(design) = design {
        let filter = LogFilter { design: Some(DesignId(design)), ..LogFilter::default() };
        lines = app.store.of(workshop).log_lines(&filter, MOST).await?;
        lines.reverse();
    }
    let newest = lines.last().map(|l| l.revision_id);
    let aims = match newest {
        Some(id) => app.store.of(workshop).revision(RevisionId(id.0)).await?.design.aims,
        None => Aims::default(),
    };
    lines.retain(|l| measured.of(l).is_some() && l.level != "stop");
    let one_kind = lines.windows(2).all(|w| w[0].revision == w[1].revision && w[0].turns == w[1].turns);
    let can_relate = lines.first().is_some_and(|l| measured.ratio(l).is_some());
    let relative =
        can_relate && (asked.get("against") == "predicted" || (asked.get("against").is_empty() && !one_kind));
    if relative {
        lines.retain(|l| measured.ratio(l).is_some());
    }
    let value = |l: &LogbookRow| if relative { measured.ratio(l) } else { measured.of(l) };
    let values: Vec<f64> = lines.iter().filter_map(value).collect();
    let name =
        designs.iter().find(|(id, _, _)| Some(id.0) == design).map_or_else(String::new, |d| d.1.clone());
    let series = Series { lines, values, relative, measured };
    let grouped = asked.get("chart") == "means";
    let link = |name: &str, value: &str| asked.link("/consistency", name, value);
    let mut page = ConsistencyPage {
        frame: Frame::new(&user, "logbook", "Consistency"),
        tab: "consistency",
        designs: designs
            .iter()
            .map(|(id, name, n)| {
                Choice::new(id.to_string(), format!("{name} ({n} run{})", if *n == 1 { "" } else { "s" }))
            })
            .collect(),
        design: design.map_or_else(String::new, |d| d.to_string()),
        quantities: MEASURED.iter().map(|m| (*m == measured, m.name, link("of", m.key))).collect(),
        bases: if can_relate {
            vec![
                (!relative, "as measured", link("against", "nothing")),
                (relative, "against the prediction", link("against", "predicted")),
            ]
        } else {
            Vec::new()
        },
        charts: vec![
            (!grouped, "each coil", link("chart", "")),
            (grouped, "means of five", link("chart", "means")),
        ],
        name,
        headline: String::new(),
        steady: true,
        shift: String::new(),
        parts: Vec::new(),
        chart: String::new(),
        lower: String::new(),
        lower_caption: "",
        told: Vec::new(),
        sums: Vec::new(),
        pairs: Vec::new(),
        rows: Vec::new(),
        none: String::new(),
    };
    if series.values.is_empty() {
        page.none = "No coil of this design was measured in this yet.".into();
        return Ok(page);
    }
    // Aims hold for what is measured, not for its deviation.
    let aim = measured.aim(&aims).filter(|_| !relative);
    if grouped {
        draw_means(&mut page, &series);
    } else {
        draw_each(&mut page, &series, aim);
    }
    sum_up(&mut page, &series, aim);
    explain(&app, &user, &mut page, &series).await?;
    Ok(page)
}

/// Where spool, hand, winder or revision changed for a stretch of runs.
fn phases(lines: &[LogbookRow]) -> Vec<Phase> {
    /// More are not told apart.
    const MOST: usize = 14;
    let of = |l: &LogbookRow| {
        [
            l.spool.as_ref().map(|s| format!("spool {s}")),
            Some(l.operator.clone()),
            l.winder.clone(),
            Some(format!("r{}", l.revision)),
        ]
    };
    // What is seen for the first time is a phase; going to and fro between known ones is not.
    let mut seen: Vec<[Option<String>; 4]> = Vec::new();
    let mut found = Vec::new();
    for (at, line) in lines.iter().enumerate() {
        let now = of(line);
        if at > 0 {
            let new: Vec<String> = (0..4)
                .filter(|k| now[*k].is_some() && !seen.iter().any(|s| s[*k] == now[*k]))
                .filter_map(|k| now[k].clone())
                .collect();
            if !new.is_empty() {
                found.push(Phase { at, words: new.join(", ") });
            }
        }
        seen.push(now);
    }
    found.truncate(MOST);
    found
}

fn tell(page: &mut ConsistencyPage, found: &[Breach], name: impl Fn(usize) -> String) {
    page.steady = found.is_empty();
    let far: Vec<String> =
        found.iter().rev().filter(|b| b.rule == Rule::FarOut).map(|b| name(b.to)).take(6).collect();
    if !far.is_empty() {
        let (what, why) = (Rule::FarOut.what(), Rule::FarOut.why());
        page.told.push(Told { what, why, runs: far.join(", ") });
    }
    let others = found.iter().rev().filter(|b| b.rule != Rule::FarOut).take(5);
    page.told.extend(others.map(|b| Told {
        what: b.rule.what(),
        why: b.rule.why(),
        runs: format!("{} to {}", name(b.from), name(b.to)),
    }));
}

fn draw_each(page: &mut ConsistencyPage, series: &Series, aim: Option<(f64, f64)>) {
    let limits = individuals(&series.values);
    let found = limits.as_ref().map(|(x, _)| breaches(&series.values, x)).unwrap_or_default();
    let bad = |k: usize| found.iter().any(|b| b.from <= k && k <= b.to);
    let points: Vec<Point> = series
        .lines
        .iter()
        .zip(&series.values)
        .enumerate()
        .map(|(k, (line, value))| Point {
            value: *value,
            title: format!("Run {}: {}, {}", line.number, series.text(*value), line.operator),
            link: format!("/runs/{}", line.run_id),
            bad: bad(k),
        })
        .collect();
    page.chart = chart(series, &points, limits.as_ref().map(|(x, _)| x), &phases(&series.lines), aim, 300.0);
    page.lower_caption = "Distance of each coil from the one before";
    let ranges = moving_ranges(&series.values);
    let moving: Vec<Point> = ranges
        .iter()
        .zip(&series.lines[1..])
        .map(|(value, line)| Point {
            value: *value,
            title: format!("Run {}: {}", line.number, spread_text(series, *value)),
            link: String::new(),
            bad: limits.as_ref().is_some_and(|(_, m)| *value > m.upper),
        })
        .collect();
    if !moving.is_empty() {
        page.lower = lower(series, &moving, limits.as_ref().map(|(_, m)| m));
    }
    tell(page, &found, |k| series.run(k));
    page.rows = series
        .lines
        .iter()
        .zip(&series.values)
        .enumerate()
        .rev()
        .take(200)
        .map(|(k, (l, v))| (l.run_id.0, l.number, series.text(*v), l.operator.clone(), bad(k)))
        .collect();
    if limits.is_none() {
        page.none = "Limits need five coils that differ.".into();
    }
}

fn draw_means(page: &mut ConsistencyPage, series: &Series) {
    /// Coils of a subgroup: common practice for charts of means.
    const SIZE: usize = 5;
    let groups = subgroups(&series.values, SIZE);
    let limits = of_subgroups(&groups, SIZE);
    if groups.is_empty() {
        page.none = "Means need five coils each.".into();
        return;
    }
    let means: Vec<f64> = groups.iter().map(|g| g.0).collect();
    let found = limits.as_ref().map(|(m, _)| breaches(&means, m)).unwrap_or_default();
    let name = |k: usize| format!("{} to {}", series.run(SIZE * k), series.run(SIZE * k + SIZE - 1));
    let point = |k: usize, value: f64, bad: bool, text: String| Point {
        value,
        title: format!("{}: {text}", name(k)),
        link: String::new(),
        bad,
    };
    let upper: Vec<Point> = groups
        .iter()
        .enumerate()
        .map(|(k, g)| point(k, g.0, found.iter().any(|b| b.from <= k && k <= b.to), series.text(g.0)))
        .collect();
    page.chart = chart(series, &upper, limits.as_ref().map(|(m, _)| m), &[], None, 300.0);
    let lower_points: Vec<Point> = groups
        .iter()
        .enumerate()
        .map(|(k, g)| {
            let bad = limits.as_ref().is_some_and(|(_, s)| g.1 > s.upper || g.1 < s.lower);
            point(k, g.1, bad, spread_text(series, g.1))
        })
        .collect();
    page.lower_caption = "Spread within each five";
    page.lower = lower(series, &lower_points, limits.as_ref().map(|(_, s)| s));
    tell(page, &found, name);
    if limits.is_none() {
        page.none = "Limits need five groups of five coils.".into();
    }
}

/// A spread in the series' own unit.
fn spread_text(series: &Series, value: f64) -> String {
    if series.relative { format!("{:.2} %", value * 100.0) } else { series.measured.scale.text(value) }
}

fn chart(
    series: &Series,
    points: &[Point],
    limits: Option<&Limits>,
    phases: &[Phase],
    aim: Option<(f64, f64)>,
    height: f64,
) -> String {
    let text = |v: f64| series.text(v);
    run_chart(&RunChart { points, limits, phases, aim, text: &text, height, title: series.measured.name })
}

fn lower(series: &Series, points: &[Point], limits: Option<&Limits>) -> String {
    let text = |v: f64| spread_text(series, v);
    run_chart(&RunChart {
        points,
        limits,
        phases: &[],
        aim: None,
        text: &text,
        height: 130.0,
        title: "Spread",
    })
}

fn sum_up(page: &mut ConsistencyPage, series: &Series, aim: Option<(f64, f64)>) {
    let values = &series.values;
    let middle = trade::consistency::mean(values);
    let spread = trade::consistency::sd(values);
    let mut sums = vec![Sum {
        what: "Mean",
        value: series.text(middle),
        words: format!("of {} coil{}", values.len(), if values.len() == 1 { "" } else { "s" }),
    }];
    if values.len() > 1 {
        let share = if series.relative { spread } else { spread / middle.abs().max(f64::MIN_POSITIVE) };
        sums.push(Sum {
            what: "Spread",
            value: format!("{:.1} %", share * 100.0),
            words: "standard deviation of all".into(),
        });
    }
    let points: Vec<(f64, f64)> = series
        .lines
        .iter()
        .zip(values)
        .map(|(l, v)| (l.started_at.assume_utc().unix_timestamp() as f64 / (86_400.0 * 30.44), *v))
        .collect();
    if let Some(trend) = trend(&points) {
        let per = if series.relative { trend.slope } else { trend.slope / middle };
        let half = if series.relative { trend.half } else { trend.half / middle.abs() };
        sums.push(Sum {
            what: "Trend",
            value: format!("{:+.2} %", per * 100.0).replace('-', "−"),
            words: format!(
                "a month, ±{:.2} %{}",
                half * 100.0,
                if trend.is_clear() { "" } else { ": no clear trend" }
            ),
        });
    }
    if let Some(aim) = aim {
        sums.push(match capability(values, aim) {
            Some(c) => Sum { what: "Fit to the aim", value: format!("{:.2}", c.cpk), words: fit_words(&c) },
            None => Sum {
                what: "Fit to the aim",
                value: "–".into(),
                words: "needs five coils that differ".into(),
            },
        });
    }
    page.sums = sums;
    if !series.relative {
        page.pairs = best_pairs(values, 4)
            .into_iter()
            .map(|(a, b)| {
                let (one, two) = (&series.lines[a], &series.lines[b]);
                let apart = (values[a] - values[b]).abs() / middle * 100.0;
                (one.run_id.0, one.number, two.run_id.0, two.number, format!("{apart:.2} % apart"))
            })
            .collect();
    }
}

fn fit_words(c: &Capability) -> String {
    format!(
        "Cpk, {:.2} to {:.2}; Cp {:.2}. {:.0} % lie outside, {:.1} % are to be expected{}",
        c.cpk_interval.0,
        c.cpk_interval.1,
        c.cp,
        c.outside * 100.0,
        c.expected_outside * 100.0,
        if c.count < 30 { ". Few coils: a wide interval" } else { "" }
    )
}

/// The headline, and where the level moved with what it comes from.
async fn explain(
    app: &App,
    user: &CurrentUser,
    page: &mut ConsistencyPage,
    series: &Series,
) -> Result<(), AppError> {
    let n = series.values.len();
    let shift = level_shift(&series.values);
    page.headline = match (&shift, page.steady, n) {
        (_, _, n) if n < trade::consistency::FEWEST => {
            format!(
                "{n} coil{} so far: five are needed to tell chance from change.",
                if n == 1 { "" } else { "s" }
            )
        }
        (Some(shift), _, _) => format!("Not steady: {}", moved(series, shift)),
        (None, true, _) => format!("Steady: nothing but chance in {n} coils."),
        (None, false, _) => "Not steady: see which runs stand out, and why that may be.".into(),
    };
    page.steady = page.steady && shift.is_none();
    let (Some(shift), Some(quantity)) = (shift, series.measured.learned) else { return Ok(()) };
    let Some(newest) = app.store.of(user.workshop()).newest_calibration().await? else { return Ok(()) };
    let model = app.calibrations.version(&app.store, user.workshop(), newest.id).await?;
    let observations: Vec<Observation> = series.lines.iter().map(LogbookRow::observation).collect();
    let (earlier, later): (Vec<&Observation>, Vec<&Observation>) =
        (observations[..shift.at].iter().collect(), observations[shift.at..].iter().collect());
    let Some(parts) = model.of(quantity).and_then(|l| l.shift(&earlier, &later)) else { return Ok(()) };
    let names = Named::of(app, user).await?;
    page.shift = format!(
        "Against what the engine predicts, runs from {} on read {} in {}. What that comes from, as far as all of the shop's runs tell:",
        series.run(shift.at),
        per_cent(parts.whole),
        quantity.name()
    );
    page.parts = parts
        .parts
        .iter()
        .filter(|(_, e)| e.value.abs() > 5e-4)
        .map(|(factor, e)| {
            let came = newcomers(*factor, &earlier, &later);
            let who = if came.is_empty() {
                String::new()
            } else {
                let all: Vec<String> = came.iter().map(|l| names.of_level(*factor, *l)).collect();
                format!(" ({} came in)", all.join(", "))
            };
            (format!("{}{who}", factor.name()), format!("{} ± {:.1} %", per_cent(e.value), 164.5 * e.sd))
        })
        .chain(std::iter::once(("not explained".to_owned(), per_cent(parts.left))))
        .collect();
    Ok(())
}

/// Levels that are commoner after a change than before: those that came in.
fn newcomers(factor: Factor, earlier: &[&Observation], later: &[&Observation]) -> Vec<u64> {
    let share = |runs: &[&Observation], level: u64| {
        runs.iter().filter(|r| r.factor_levels.of(factor) == Some(level)).count() as f64
            / runs.len().max(1) as f64
    };
    let mut levels: Vec<u64> = later.iter().filter_map(|r| r.factor_levels.of(factor)).collect();
    levels.sort_unstable();
    levels.dedup();
    levels.retain(|level| share(later, *level) > share(earlier, *level) + 0.25);
    levels
}

fn moved(series: &Series, shift: &LevelShift) -> String {
    let before = trade::consistency::mean(&series.values[..shift.at]);
    let by = if series.relative { shift.by } else { (1.0 + shift.by / before).ln() };
    format!(
        "from {} on it reads {} {} than before.",
        series.run(shift.at),
        per_cent(by).trim_start_matches(['+', '−']),
        if by > 0.0 { "higher" } else { "lower" }
    )
}
