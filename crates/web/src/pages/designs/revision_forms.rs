//! What is done to a saved revision: varied, restored, labelled, swept.

use super::revision::{RevisionForm, revision_page};
use crate::app::App;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::refusal_text::refusal_text;
use crate::respond::redirect;
use actix_web::{HttpResponse, web};
use coil::circuit::InstrumentInput;
use coil::search::Varied;
use presentation::form_fields::Errors;
use presentation::read::{farads, limit_letters};
use store::RevisionId;
use trade::sweep::Sweep;
use workshop::{Refusal, VaryRevision};

/// Most letters of a revision's label.
const MOST_LETTERS: usize = 60;
/// Most letters of a sweep's label.
const MOST_SWEEP_LETTERS: usize = 80;

/// Saves variants that differ from a revision in one thing, and begins the experiment that compares them.
pub(super) async fn vary(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let Ok(varied) = form.get("vary").parse::<Varied>() else { return Err(AppError::NotFound("variation")) };
    let command = VaryRevision {
        key: form.key()?,
        revision: RevisionId(*id),
        varied,
        values: form.get("values").to_owned(),
        units: user.settings.units,
    };
    match app.workshop.vary_revision(&user.actor, &command).await {
        Ok(experiment) => Ok(redirect(format!("/experiments/{experiment}"))),
        Err(refusal @ Refusal::NoFamily(_)) => {
            let errors = Errors::from([("values".to_owned(), refusal_text(&refusal))]);
            let shown = RevisionForm { form, errors, ..RevisionForm::default() };
            revision_page(&app, &user, RevisionId(*id), &shown).await
        }
        Err(refusal) => Err(refusal.into()),
    }
}

/// Restores an older revision: its design becomes the newest one, and nothing in between is lost.
pub(super) async fn restore(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let id = app.workshop.restore_revision(&user.actor, RevisionId(*id), form.key()?).await?;
    Ok(redirect(format!("/revisions/{id}")))
}

/// Tags as they were typed: trimmed, each once.
fn tags(text: &str) -> Result<Vec<String>, String> {
    let mut all: Vec<String> = Vec::new();
    for tag in text.split(',').map(str::trim).filter(|t| !t.is_empty()) {
        if tag.chars().count() > 40 {
            return Err(format!("“{tag:.20}…” is longer than 40 letters."));
        }
        if !all.iter().any(|t| t.to_lowercase() == tag.to_lowercase()) {
            all.push(tag.to_owned());
        }
    }
    if all.len() > 12 { Err("Up to twelve tags.".into()) } else { Ok(all) }
}

/// Saves what a revision is called, its design's tags, and whether the design is archived.
pub(super) async fn label(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let id = RevisionId(*id);
    let mut errors = Errors::new();
    limit_letters(&form, &mut errors, "label", MOST_LETTERS);
    let tags = tags(form.get("tags")).unwrap_or_else(|message| {
        errors.insert("tags".into(), message);
        Vec::new()
    });
    if !errors.is_empty() {
        return revision_page(&app, &user, id, &RevisionForm { form, errors, ..RevisionForm::default() })
            .await;
    }
    let archived = match form.get("archive") {
        "yes" => Some(true),
        "no" => Some(false),
        _ => None,
    };
    app.workshop.label_revision(&user.actor, id, form.get("label"), &tags, archived).await?;
    Ok(redirect(format!("/revisions/{id}")))
}

/// Adds a measured response to a revision.
pub(super) async fn add_sweep(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let id = RevisionId(*id);
    let mut errors = Errors::new();
    limit_letters(&form, &mut errors, "sweep_label", MOST_SWEEP_LETTERS);
    if form.get("sweep_label").is_empty() {
        errors.insert("sweep_label".into(), "Enter which coil was measured.".into());
    }
    let input = match form.get("sweep_input") {
        "" => None,
        text => {
            let found =
                farads(text).ok().map(|farads| farads * 1e12).filter(|pf| (0.0..=5000.0).contains(pf));
            if found.is_none() {
                errors.insert("sweep_input".into(), "In picofarads, up to 5,000.".into());
            }
            found.map(|pf| InstrumentInput { capacitance_f: pf * 1e-12, resistance_ohm: 1e6 })
        }
    };
    let sweep = Sweep::read(form.get("points")).map(|sweep| Sweep { input, ..sweep });
    if let Err(error) = &sweep {
        errors.insert("points".into(), format!("Not readable: {error}."));
    }
    let (Ok(sweep), true) = (sweep, errors.is_empty()) else {
        return revision_page(&app, &user, id, &RevisionForm { form, errors, ..RevisionForm::default() })
            .await;
    };
    app.workshop.add_sweep(&user.actor, id, form.key()?, form.get("sweep_label"), &sweep).await?;
    Ok(redirect(format!("/revisions/{id}")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tags_are_each_once_and_short() {
        assert_eq!(tags(" neck, Neck ,, order 12 ").unwrap(), ["neck", "order 12"]);
        assert!(tags(&"x".repeat(41)).is_err() && tags("a,b,c,d,e,f,g,h,i,j,k,l,m").is_err());
    }
}
