//! The people of the workshop: inviting them, their roles, and what becomes of them when they leave.

use crate::app::App;
use crate::components::frame::Frame;
use crate::current_user::CurrentUser;
use crate::error::AppError;
use crate::form::FormData;
use crate::outcome;
use crate::refusal_text::refusal_text;
use crate::respond::render_page;
use actix_session::Session;
use actix_web::{HttpResponse, web};
use askama::Template;
use presentation::field::{Choice, Field};
use presentation::form_fields::Errors;
use presentation::format;
use store::PersonId;
use store::person::Role;
use workshop::{Invitation, MemberChange, PeopleManager, Refusal, Secret, WorkshopMember};

/// A role as people read it, with what it is for.
const fn role_name(role: Role) -> (&'static str, &'static str) {
    match role {
        Role::Viewer => ("viewer", "looks on: runs, designs and figures, changes nothing"),
        Role::Operator => ("operator", "winds, measures, keeps the stock; sees no designs and targets"),
        Role::Designer => ("designer", "designs, winds, decides about calibration"),
        Role::Owner => ("owner", "everything, people and settings as well"),
    }
}

#[expect(clippy::struct_excessive_bools, reason = "what a template shows or hides, each by itself")]
struct Row {
    id: u64,
    name: String,
    sign_in: String,
    role: String,
    state: String,
    /// `active`, `invited`, `away` where there is no password, `disabled`.
    state_class: &'static str,
    is_disabled: bool,
    is_self: bool,
    has_pin: bool,
    has_second_factor: bool,
}

impl Row {
    fn new(of: WorkshopMember, user: &CurrentUser) -> Self {
        let WorkshopMember { person, link_until } = of;
        let (state_class, state) = match (person.disabled_at, link_until, &person.password_hash) {
            (Some(_), ..) => ("disabled", "disabled".to_owned()),
            (None, Some(until), _) => ("invited", format!("link open until {}", format::moment(until))),
            (None, None, Some(_)) => ("active", "signs in".to_owned()),
            (None, None, None) => ("away", "has no password".to_owned()),
        };
        let role: &'static str = person.role.0.into();
        Self {
            id: person.id.0,
            is_self: person.id == user.person.id,
            name: person.name,
            sign_in: person.sign_in,
            role: role.to_owned(),
            state,
            state_class,
            is_disabled: person.disabled_at.is_some(),
            has_pin: person.pin_hash.is_some(),
            has_second_factor: person.has_second_factor,
        }
    }
}

/// A link to give to somebody: shown once.
struct Link {
    name: String,
    address: String,
}

#[derive(Template)]
#[template(path = "workshop/people.html")]
struct Page {
    frame: Frame,
    tab: &'static str,
    rows: Vec<Row>,
    roles: Vec<Choice>,
    about_roles: Vec<(&'static str, &'static str)>,
    fields: Vec<Field>,
    is_refused: bool,
    link: Option<Link>,
}

async fn page(
    app: &App,
    user: &CurrentUser,
    form: &FormData,
    errors: &Errors,
    link: Option<Link>,
) -> Result<HttpResponse, AppError> {
    let manager = PeopleManager::new(&user.actor)?;
    let roles: Vec<Choice> = Role::ALL
        .iter()
        .map(|role| {
            let word: &'static str = role.into();
            Choice::new(word, role_name(*role).0)
        })
        .collect();
    let fill = |field: Field| field.filled(form, errors);
    let page = Page {
        frame: Frame::new(user, "workshop", "People"),
        tab: "people",
        rows: app.workshop.members(&manager).await?.into_iter().map(|m| Row::new(m, user)).collect(),
        fields: vec![
            fill(Field::typed("name", "Name", "As it stands beside readings.")),
            fill(Field::typed("sign_in", "Name to sign in with", "Short, for example the first name.")),
            Field::chosen("role", "Role", "", roles.clone()).filled_or(form, errors, "operator"),
        ],
        roles,
        about_roles: Role::ALL.iter().map(|role| role_name(*role)).collect(),
        is_refused: !errors.is_empty(),
        link,
    };
    render_page(&page, !errors.is_empty())
}

fn role_of(form: &FormData) -> Result<Role, AppError> {
    form.get("role").parse().ok().ok_or_else(|| AppError::BadRequest("There is no such role.".into()))
}

/// The list.
pub(super) async fn show(app: web::Data<App>, user: CurrentUser) -> Result<HttpResponse, AppError> {
    page(&app, &user, &FormData::default(), &Errors::new(), None).await
}

fn link_of(app: &App, name: String, secret: &Secret) -> Link {
    Link { name, address: app.origin.address_of(&format!("/welcome/{}", secret.text())) }
}

/// Invites somebody; the answer shows their link, once.
pub(super) async fn invite(
    app: web::Data<App>,
    user: CurrentUser,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let manager = PeopleManager::new(&user.actor)?;
    let role = role_of(&form)?;
    let invitation =
        Invitation { name: form.get("name").to_owned(), sign_in: form.get("sign_in").to_owned(), role };
    let (field, refusal) = match app.workshop.invite(&manager, &invitation).await {
        Ok((person, secret)) => {
            tracing::info!(event = "invited", by = user.person.id.0, person = person.0, role = ?role);
            let link = link_of(&app, invitation.name, &secret);
            return page(&app, &user, &FormData::default(), &Errors::new(), Some(link)).await;
        }
        Err(refusal @ Refusal::UnusableName) => ("name", refusal),
        Err(refusal @ (Refusal::UnusableSignIn | Refusal::NameTaken(_))) => ("sign_in", refusal),
        Err(other) => return Err(other.into()),
    };
    let errors = Errors::from([(field.to_owned(), refusal_text(&refusal))]);
    page(&app, &user, &form, &errors, None).await
}

/// Makes a new link to set a password.
pub(super) async fn link(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    let (manager, person) = (PeopleManager::new(&user.actor)?, PersonId(*id));
    let secret = app.workshop.link_password(&manager, person).await?;
    tracing::info!(event = "password-link", by = user.person.id.0, person = person.0);
    let name = app.workshop.members(&manager).await?.into_iter().find(|m| m.person.id == person);
    let name = name.map_or_else(String::new, |m| m.person.name);
    let link = link_of(&app, name, &secret);
    page(&app, &user, &FormData::default(), &Errors::new(), Some(link)).await
}

async fn apply(
    app: &App,
    user: &CurrentUser,
    session: &Session,
    person: PersonId,
    (change, done): (MemberChange, &str),
) -> Result<HttpResponse, AppError> {
    let manager = PeopleManager::new(&user.actor)?;
    let changed = app.workshop.change_member(&manager, person, change).await;
    if changed.is_ok() {
        tracing::info!(event = "person-changed", by = user.person.id.0, person = person.0, ?change);
    }
    // Who took their own role away may not come back to this page.
    let is_self = person == user.person.id && change != MemberChange::Role(Role::Owner);
    outcome::tell(session, if is_self { "/" } else { "/people" }, changed.map(|()| done))
}

/// Takes a second factor away, for somebody who lost theirs.
pub(super) async fn reset_second_factor(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    session: Session,
    _form: FormData,
) -> Result<HttpResponse, AppError> {
    let manager = PeopleManager::new(&user.actor)?;
    app.workshop.reset_second_factor(&manager, PersonId(*id)).await?;
    tracing::info!(event = "second-factor-reset", by = user.person.id.0, person = *id);
    Ok(outcome::done(&session, "/people", "The second factor is removed: the password alone signs them in."))
}

/// Gives somebody another role.
pub(super) async fn set_role(
    app: web::Data<App>,
    user: CurrentUser,
    id: web::Path<u64>,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let role = role_of(&form)?;
    let change = (MemberChange::Role(role), "The role is changed. It holds from the next page on.");
    apply(&app, &user, &session, PersonId(*id), change).await
}

/// Disables somebody, lets them in again, or replaces their name for good.
pub(super) async fn change(
    app: web::Data<App>,
    user: CurrentUser,
    path: web::Path<(u64, String)>,
    session: Session,
    form: FormData,
) -> Result<HttpResponse, AppError> {
    let (id, word) = path.into_inner();
    let change = match word.as_str() {
        "disable" => (MemberChange::Disable, "Disabled: they are signed out, and what they did stays."),
        "enable" => (MemberChange::Enable, "They may sign in again."),
        _ if form.is_ticked("sure") => {
            (MemberChange::Anonymise, "Their name is replaced wherever it stood. What they did stays.")
        }
        _ => {
            let text = "Not done: tick that you are sure. It cannot be undone.";
            return Ok(outcome::not_done(&session, "/people", text));
        }
    };
    apply(&app, &user, &session, PersonId(id), change).await
}
