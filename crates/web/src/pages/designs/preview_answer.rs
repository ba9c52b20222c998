//! The preview of a sheet while it is filled in, for the workbench's script.

use super::posted_sheet::{base_of, named, parent_of};
use super::preview::preview_markup;
use super::sheet_step::SheetStep;
use super::spools;
use super::view::View;
use super::workbench::sheet_markup;
use crate::app::App;
use crate::components::live_form::LiveAnswer;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use actix_web::web;
use presentation::form_fields::{Errors, FormFields};
use presentation::sheet;

/// Without what was typed over the ends of targets: the panel shows the targets just made.
fn without_targets(form: &mut FormData) {
    let is_end =
        |name: &str| name.starts_with("search_") && (name.ends_with("_from") || name.ends_with("_to"));
    form.0.0.retain(|name, _| !is_end(name) || name.starts_with("search_turns"));
}

/// The preview of what was sent.
pub(super) async fn preview(
    app: web::Data<App>,
    user: CurrentUser,
    mut form: FormData,
) -> Result<web::Json<LiveAnswer>, AppError> {
    let step: SheetStep = form.get("step").parse()?;
    let parent = parent_of(&app, &user, form.get("parent")).await?;
    let base = base_of(&form, parent.as_ref());
    let referred = spools::referred(&app, &user, &form).await?;
    let sheet::Read { mut design, meant, names } =
        match sheet::read(&named(&form), &base, &referred, user.settings.units) {
            Ok(read) => read,
            Err(errors) if step == SheetStep::Show => {
                let offered = spools::offered(&app, &user).await?;
                let fields = Some(sheet_markup(&base, &form, &errors, &offered, user.settings.units)?);
                return Ok(web::Json(LiveAnswer { fields, ..errors.into() }));
            }
            Err(errors) => return Ok(web::Json(errors.into())),
        };
    let one_by_one = step.one_by_one((&form.0).into());
    if step == SheetStep::Load {
        design = base.clone();
    }
    if let Err(refused) = step.apply((&app, &user), &form, parent.as_ref(), &mut design).await? {
        return Ok(web::Json(refused.into()));
    }
    if step.sets_targets() {
        without_targets(&mut form);
    }
    let view = View::named(form.get("view"));
    let before = parent.as_ref().map(|p| &p.design);
    let (markup, is_new_shape) = tokio::join!(
        preview_markup((&app, &user), &design, before, parent.as_ref(), (view, Some(&form))),
        // While the prediction is worked out elsewhere.
        async { step.shows_fields() || sheet::names(&design, one_by_one) != names },
    );
    let markup = markup?;
    let mut answer = LiveAnswer {
        parts: [("strip", markup.strip), ("drawings", markup.drawings), ("notices", markup.notices)].into(),
        ..LiveAnswer::default()
    };
    if is_new_shape {
        // The fields show the design as it now is; what was typed has gone into it.
        let only = FormFields::from_iter(one_by_one.flags());
        let offered = spools::offered(&app, &user).await?;
        answer.fields = Some(sheet_markup(&design, &only, &Errors::new(), &offered, user.settings.units)?);
        answer.values = one_by_one.flags().map(|(name, flag)| (name, flag.to_owned())).into();
        answer.values.insert("document", serde_json::to_string(&design)?);
    } else {
        answer.meant = meant;
    }
    Ok(web::Json(answer))
}
