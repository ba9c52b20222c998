//! Consistency: whether coils of a design stay alike, and if not, since when and why.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::query::QueryParameters;
use crate::route_table::routes;
use actix_web::web;
use askama::Template;
use askama_web::WebTemplate;
use coil::design::Targets;
use presentation::drawing::chart::{Phase, Point, RunChart, run_chart};
use presentation::field::Choice;
use presentation::figures::Figure;
use presentation::format::{PERCENT, Scale, counted, signed_percent, signed_percent_of_ln};
use store::DesignId;
use store::logbook::LogbookRow;
use trade::calibration::Quantity;
use trade::consistency::{
    Breach, Capability, LevelShift, Limits, Rule, Stretch, best_pairs, breaches, breaches_within, capability,
    compute_limits, level_shift, moving_limits, moving_ranges, stretches, subgroups, trend,
};
use workshop::{ShiftExplanation, known_changes};

routes! {
    GET "/consistency" [ReadAnalysis] => show;
}

/// What a chart is of: a figure, or the flux against what was expected (`None`).
#[derive(Clone, Copy, PartialEq)]
struct Charted(Option<Figure>);

const CHARTED: [Charted; 5] = [
    Charted(Some(Figure::Resistance)),
    Charted(Some(Figure::Inductance)),
    Charted(Some(Figure::Capacitance)),
    Charted(Some(Figure::Peak)),
    Charted(None),
];

impl Charted {
    fn key(self) -> &'static str {
        self.0.map_or("flux", Figure::key)
    }

    fn label(self) -> &'static str {
        self.0.map_or("Flux against expected", Figure::label)
    }

    fn scale(self) -> Scale {
        self.0.map_or(PERCENT, Figure::scale)
    }

    fn quantity(self) -> Option<Quantity> {
        match self.0? {
            Figure::Resistance => Some(Quantity::Resistance),
            Figure::Inductance => Some(Quantity::Inductance),
            Figure::Capacitance => Some(Quantity::Capacitance),
            _ => None,
        }
    }

    fn value_in(self, row: &LogbookRow) -> Option<f64> {
        match self.0 {
            Some(Figure::Resistance) => row.resistance_ohm,
            Some(Figure::Inductance) => row.inductance_h,
            Some(Figure::Capacitance) => row.capacitance_f,
            Some(Figure::Peak) => row.peak_hz,
            _ => row.flux_ratio.map(f64::exp),
        }
    }

    /// Logarithm of measured over what the uncalibrated model expects.
    fn ratio(self, row: &LogbookRow) -> Option<f64> {
        match self.0? {
            Figure::Resistance => row.resistance_ratio,
            Figure::Inductance => row.inductance_ratio,
            Figure::Capacitance => row.capacitance_ratio,
            _ => None,
        }
    }

    fn target(self, targets: &Targets) -> Option<(f64, f64)> {
        self.0?.target(targets).map(|[from, to]| (from, to))
    }
}

/// A stretch that breaks a rule, in words.
struct BrokenRule {
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
    rules: Vec<BrokenRule>,
    sums: Vec<Sum>,
    pairs: Vec<(u64, u32, u64, u32, String)>,
    rows: Vec<(u64, u32, String, String, bool)>,
    /// Why there is no chart; empty where there is one.
    none: String,
    /// Levels with limits of their own, where there are several.
    levels: usize,
}

/// Everything of a series that the page speaks of.
struct Series {
    lines: Vec<LogbookRow>,
    values: Vec<f64>,
    /// Values are logarithms against the uncalibrated model.
    relative: bool,
    charted: Charted,
}

impl Series {
    fn text(&self, value: f64) -> String {
        if self.relative { percent(value) } else { self.charted.scale().finer().text(value) }
    }

    fn run(&self, k: usize) -> String {
        self.lines.get(k).map_or_else(String::new, |l| format!("run {}", l.number))
    }
}

async fn show(
    app: web::Data<App>,
    user: CurrentUser,
    query: QueryParameters,
) -> Result<ConsistencyPage, AppError> {
    let designs = app.workshop.logged_designs(&user.actor).await?;
    let most = designs.iter().max_by_key(|(_, _, n)| *n).map(|(id, _, _)| id.0);
    let design = query.number("design").or(most);
    let charted = *CHARTED.iter().find(|m| m.key() == query.get("of")).unwrap_or(&CHARTED[0]);
    let (mut lines, targets) = match design {
        Some(design) => app.workshop.series(&user.actor, DesignId(design)).await?,
        None => (Vec::new(), Targets::default()),
    };
    lines.retain(|l| charted.value_in(l).is_some() && l.level.0.counts());
    let one_kind = lines.windows(2).all(|w| w[0].revision == w[1].revision && w[0].turns == w[1].turns);
    let can_relate = lines.first().is_some_and(|l| charted.ratio(l).is_some());
    let relative =
        can_relate && (query.get("against") == "predicted" || (query.get("against").is_empty() && !one_kind));
    if relative {
        lines.retain(|l| charted.ratio(l).is_some());
    }
    let value = |l: &LogbookRow| if relative { charted.ratio(l) } else { charted.value_in(l) };
    let values: Vec<f64> = lines.iter().filter_map(value).collect();
    let name =
        designs.iter().find(|(id, _, _)| Some(id.0) == design).map_or_else(String::new, |d| d.1.clone());
    let series = Series { lines, values, relative, charted };
    let grouped = query.get("chart") == "means";
    let link = |name: &str, value: &str| query.link("/consistency", name, value);
    let mut page = ConsistencyPage {
        frame: Frame::new(&user, "logbook", "Consistency"),
        tab: "consistency",
        designs: designs
            .iter()
            .map(|(id, name, n)| {
                Choice::new(id.to_string(), format!("{name} ({})", counted(n.unsigned_abs(), "run")))
            })
            .collect(),
        design: design.map_or_else(String::new, |d| d.to_string()),
        quantities: CHARTED.iter().map(|m| (*m == charted, m.label(), link("of", m.key()))).collect(),
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
        rules: Vec::new(),
        sums: Vec::new(),
        pairs: Vec::new(),
        rows: Vec::new(),
        none: String::new(),
        levels: 0,
    };
    if series.values.is_empty() {
        page.none = "No coil of this design has this reading yet.".into();
        return Ok(page);
    }
    // Targets hold for what is measured, not for its deviation.
    let target = charted.target(&targets).filter(|_| !relative);
    if grouped {
        draw_means(&mut page, &series);
    } else {
        draw_each(&mut page, &series, target);
    }
    sum_up(&mut page, &series, target);
    explain(&app, &user, &mut page, &series).await?;
    Ok(page)
}

/// What is known to have changed, as the chart names it.
fn phases(lines: &[LogbookRow]) -> Vec<Phase> {
    /// More are not told apart.
    const MOST: usize = 14;
    let rows: Vec<&LogbookRow> = lines.iter().collect();
    let changes = known_changes(&rows).into_iter().take(MOST);
    changes.map(|(at, words)| Phase { at, words: words.join(", ") }).collect()
}

fn tell(page: &mut ConsistencyPage, found: &[Breach], name: impl Fn(usize) -> String) {
    page.steady = found.is_empty();
    let far: Vec<String> =
        found.iter().rev().filter(|b| b.rule == Rule::FarOut).map(|b| name(b.to)).take(6).collect();
    if !far.is_empty() {
        let (what, why) = (Rule::FarOut.what(), Rule::FarOut.why());
        page.rules.push(BrokenRule { what, why, runs: far.join(", ") });
    }
    let others = found.iter().rev().filter(|b| b.rule != Rule::FarOut).take(5);
    page.rules.extend(others.map(|b| BrokenRule {
        what: b.rule.what(),
        why: b.rule.why(),
        runs: format!("{} to {}", name(b.from), name(b.to)),
    }));
}

fn draw_each(page: &mut ConsistencyPage, series: &Series, target: Option<(f64, f64)>) {
    let changes = phases(&series.lines);
    let by_level = stretches(&series.values, &changes.iter().map(|phase| phase.at).collect::<Vec<_>>());
    let found = breaches_within(&series.values, &by_level);
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
    page.chart = chart(series, &points, &by_level, &changes, target, 300.0);
    page.lower_caption = "Moving range: difference from the previous coil";
    let ranges = moving_ranges(&series.values);
    // The step from one level to the next is no spread.
    let within: Vec<f64> =
        by_level.iter().flat_map(|s| moving_ranges(&series.values[s.from..s.to])).collect();
    let of_ranges = moving_limits(&within).filter(|_| !by_level.is_empty());
    let is_step = |k: usize| by_level.iter().any(|s| s.from == k + 1);
    let moving: Vec<Point> = ranges
        .iter()
        .zip(&series.lines[1..])
        .enumerate()
        .map(|(k, (value, line))| Point {
            value: *value,
            title: format!("Run {}: {}", line.number, spread_text(series, *value)),
            link: String::new(),
            bad: !is_step(k) && of_ranges.is_some_and(|m| *value > m.upper),
        })
        .collect();
    if !moving.is_empty() {
        page.lower = lower(series, &moving, of_ranges.as_ref());
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
    if by_level.len() > 1 {
        page.levels = by_level.len();
    }
    if by_level.is_empty() {
        page.none = "Limits need five coils that differ.".into();
    }
}

fn draw_means(page: &mut ConsistencyPage, series: &Series) {
    /// Coils of a subgroup: common practice for charts of means.
    const SIZE: usize = 5;
    let groups = subgroups(&series.values, SIZE);
    let limits = compute_limits(&groups, SIZE);
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
    page.chart =
        chart(series, &upper, &whole(limits.as_ref().map(|(m, _)| m), upper.len()), &[], None, 300.0);
    let lower_points: Vec<Point> = groups
        .iter()
        .enumerate()
        .map(|(k, g)| {
            let bad = limits.as_ref().is_some_and(|(_, s)| g.1 > s.upper || g.1 < s.lower);
            point(k, g.1, bad, spread_text(series, g.1))
        })
        .collect();
    page.lower_caption = "Standard deviation within each five";
    page.lower = lower(series, &lower_points, limits.as_ref().map(|(_, s)| s));
    tell(page, &found, name);
    if limits.is_none() {
        page.none = "Limits need five groups of five coils.".into();
    }
}

/// A spread in the series' own unit.
fn spread_text(series: &Series, value: f64) -> String {
    if series.relative { format!("{:.2} %", value * 100.0) } else { series.charted.scale().text(value) }
}

/// The same limits for all points.
fn whole(limits: Option<&Limits>, count: usize) -> Vec<Stretch> {
    limits.map(|limits| Stretch { from: 0, to: count, limits: *limits }).into_iter().collect()
}

fn chart(
    series: &Series,
    points: &[Point],
    limits: &[Stretch],
    phases: &[Phase],
    target: Option<(f64, f64)>,
    height: f64,
) -> String {
    let text = |v: f64| series.text(v);
    run_chart(&RunChart {
        points,
        limits,
        phases,
        target,
        text: &text,
        height,
        title: series.charted.label(),
    })
}

fn lower(series: &Series, points: &[Point], limits: Option<&Limits>) -> String {
    let text = |v: f64| spread_text(series, v);
    run_chart(&RunChart {
        points,
        limits: &whole(limits, points.len()),
        phases: &[],
        target: None,
        text: &text,
        height: 130.0,
        title: "Spread",
    })
}

fn sum_up(page: &mut ConsistencyPage, series: &Series, target: Option<(f64, f64)>) {
    let values = &series.values;
    let middle = trade::consistency::mean(values);
    let spread = trade::consistency::sd(values);
    let mut sums = vec![Sum {
        what: "Mean",
        value: series.text(middle),
        words: format!("of {}", counted(values.len() as u64, "coil")),
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
            value: signed_percent(per, 2),
            words: format!(
                "a month, ±{:.2} %{}",
                half * 100.0,
                if trend.is_clear() { "" } else { ": no clear trend" }
            ),
        });
    }
    if let Some(target) = target {
        sums.push(match capability(values, target) {
            Some(c) => Sum { what: "Capability", value: format!("{:.2}", c.cpk), words: fit_words(&c) },
            None => {
                Sum { what: "Capability", value: "–".into(), words: "needs five coils that differ".into() }
            }
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
        "Cpk, {:.2} to {:.2}{}. {:.0} % lie outside, {:.1} % are expected{}",
        c.cpk_interval.0,
        c.cpk_interval.1,
        c.cp.map_or_else(String::new, |(cp, _)| format!("; Cp {cp:.2}")),
        c.outside * 100.0,
        c.expected_outside * 100.0,
        if c.count < 30 { ". Few coils: a wide interval" } else { "" }
    )
}

/// The headline, and where the level moved with what that comes from.
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
            format!("{} so far: five are needed to tell chance from change.", counted(n as u64, "coil"))
        }
        (Some(shift), _, _) => format!("Not in control: {}", moved(series, shift)),
        (None, true, _) => format!("In control: {n} coils vary by chance only."),
        (None, false, _) => "Not in control: see the broken rules.".into(),
    };
    page.steady = page.steady && shift.is_none();
    let (Some(shift), Some(quantity)) = (shift, series.charted.quantity()) else { return Ok(()) };
    let found = app.workshop.explain_shift(&user.actor, &series.lines, shift.at, quantity).await?;
    if let Some(ShiftExplanation { whole, parts }) = found {
        page.shift = format!(
            "Against the uncalibrated model, runs from {} on read {} in {}. Split by cause, from all of the workshop’s runs:",
            series.run(shift.at),
            percent(whole),
            quantity.name()
        );
        page.parts = parts
            .iter()
            .map(|part| {
                let name = part.factor.map_or("unexplained", |f| f.name());
                let who = match part.came_in.as_slice() {
                    [] => String::new(),
                    all => format!(" (new: {})", all.join(", ")),
                };
                let sd = part.sd.map_or_else(String::new, |sd| format!(" ± {:.1} %", 164.5 * sd));
                (format!("{name}{who}"), format!("{}{sd}", percent(part.value)))
            })
            .collect();
    }
    Ok(())
}

fn percent(ln: f64) -> String {
    signed_percent_of_ln(ln, 1)
}

fn moved(series: &Series, shift: &LevelShift) -> String {
    let before = trade::consistency::mean(&series.values[..shift.at]);
    let by = if series.relative { shift.by } else { (1.0 + shift.by / before).ln() };
    format!(
        "from {} on, the level is {} {} than before.",
        series.run(shift.at),
        percent(by).trim_start_matches(['+', '−']),
        if by > 0.0 { "higher" } else { "lower" }
    )
}
