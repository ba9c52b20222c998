//! `filamentum user`: the people of a workshop, without a browser.

use crate::configuration::DatabaseArguments;
use crate::database::Database;
use anyhow::{Context as _, bail};
use clap::Subcommand;
use serde_json::json;
use store::person::Role;
use store::{PersonId, Store};
use web::BaseUrl;
use workshop::{
    Invitation, MemberChange, PeopleManager, Refusal, Secret, Workshop, WorkshopMember, sign_in_name,
};

/// What to do.
#[derive(Subcommand, Debug)]
pub(crate) enum UserCommand {
    /// Add somebody; prints a link to set their password, which holds once and for 24 hours.
    Add {
        /// Name to sign in with.
        sign_in: String,
        /// Name as others read it; without it, the name to sign in with.
        #[arg(long)]
        name: Option<String>,
        /// viewer, operator, designer or owner.
        #[arg(long, default_value = "operator")]
        role: String,
    },
    /// List everybody, as a table or as JSON.
    List {
        /// As JSON.
        #[arg(long)]
        json: bool,
    },
    /// Keep somebody from signing in; what they did stays theirs.
    Disable {
        /// Name to sign in with.
        sign_in: String,
    },
    /// Let somebody sign in again.
    Enable {
        /// Name to sign in with.
        sign_in: String,
    },
    /// Print a link to set a new password, which holds once and for 24 hours.
    ResetPassword {
        /// Name to sign in with.
        sign_in: String,
    },
    /// Give somebody another role.
    Role {
        /// Name to sign in with.
        sign_in: String,
        /// viewer, operator, designer or owner.
        role: String,
    },
}

fn role(word: &str) -> anyhow::Result<Role> {
    word.parse().ok().with_context(|| {
        let all: Vec<&str> = Role::ALL.iter().map(Into::into).collect();
        format!("“{word}” is no role: one of {}", all.join(", "))
    })
}

fn in_words(refusal: Refusal) -> anyhow::Error {
    match refusal {
        Refusal::LastOwner => anyhow::anyhow!("this is the only owner: make somebody else an owner first"),
        Refusal::NameTaken(_) => anyhow::anyhow!("somebody signs in with this name already"),
        Refusal::UnusableSignIn | Refusal::UnusableName => {
            anyhow::anyhow!("a name has up to 120 letters and no special characters")
        }
        Refusal::NotFound(_) => anyhow::anyhow!("there is nobody of this name who may sign in"),
        other => other.into(),
    }
}

/// The commands on one workshop.
struct Users {
    workshop: Workshop,
    manager: PeopleManager,
    base_url: Option<BaseUrl>,
}

impl Users {
    async fn find(&self, sign_in: &str) -> anyhow::Result<PersonId> {
        let members = self.workshop.members(&self.manager).await?;
        let name = sign_in_name(sign_in).unwrap_or_default();
        let found = members.into_iter().find(|m| m.person.sign_in == name);
        found.map(|m| m.person.id).with_context(|| format!("nobody signs in as “{sign_in}”"))
    }

    fn print_link(&self, secret: &Secret) {
        let path = format!("/welcome/{}", secret.text());
        match &self.base_url {
            Some(base) => println!("{}{path}", base.text()),
            None => println!("http://127.0.0.1:8090{path}"),
        }
        println!("This link holds once and for 24 hours. Give it to nobody else.");
    }

    async fn change(&self, sign_in: &str, change: MemberChange) -> anyhow::Result<()> {
        let person = self.find(sign_in).await?;
        self.workshop.change_member(&self.manager, person, change).await.map_err(in_words)
    }

    async fn run(&self, command: &UserCommand) -> anyhow::Result<()> {
        match command {
            UserCommand::Add { sign_in, name, role: word } => {
                let name = name.clone().unwrap_or_else(|| sign_in.clone());
                let invitation = Invitation { name, sign_in: sign_in.clone(), role: role(word)? };
                let (_, secret) = self.workshop.invite(&self.manager, &invitation).await.map_err(in_words)?;
                self.print_link(&secret);
            }
            UserCommand::List { json } => {
                let members = self.workshop.members(&self.manager).await?;
                if *json { print_json(&members) } else { print_table(&members) }
            }
            UserCommand::Disable { sign_in } => self.change(sign_in, MemberChange::Disable).await?,
            UserCommand::Enable { sign_in } => self.change(sign_in, MemberChange::Enable).await?,
            UserCommand::ResetPassword { sign_in } => {
                let person = self.find(sign_in).await?;
                let secret = self.workshop.link_password(&self.manager, person).await.map_err(in_words)?;
                self.print_link(&secret);
            }
            UserCommand::Role { sign_in, role: word } => {
                self.change(sign_in, MemberChange::Role(role(word)?)).await?;
            }
        }
        Ok(())
    }
}

fn state(member: &WorkshopMember) -> &'static str {
    match (member.person.disabled_at, member.link_until, &member.person.password_hash) {
        (Some(_), ..) => "disabled",
        (None, Some(_), _) => "invited",
        (None, None, Some(_)) => "active",
        (None, None, None) => "no password",
    }
}

fn print_table(members: &[WorkshopMember]) {
    println!("{:20} {:10} {:12} name", "signs in as", "role", "status");
    for member in members {
        let role: &'static str = member.person.role.0.into();
        println!("{:20} {role:10} {:12} {}", member.person.sign_in, state(member), member.person.name);
    }
}

fn print_json(members: &[WorkshopMember]) {
    let all: Vec<_> = members
        .iter()
        .map(|m| {
            let role: &'static str = m.person.role.0.into();
            json!({"sign_in": m.person.sign_in, "name": m.person.name, "role": role, "status": state(m)})
        })
        .collect();
    println!("{}", json!({ "users": all }));
}

async fn on(store: &Store, base_url: Option<BaseUrl>, command: &UserCommand) -> anyhow::Result<()> {
    let workshops = store.workshops().await?;
    let [(id, _)] = workshops.as_slice() else {
        bail!(if workshops.is_empty() {
            "nothing was set up in this database yet"
        } else {
            "there are several workshops"
        });
    };
    let manager = PeopleManager::command_line(*id);
    Users { workshop: Workshop::new(store.clone()), manager, base_url }.run(command).await
}

/// Runs a command, also while the program serves.
pub(crate) async fn run(
    database: &DatabaseArguments,
    base_url: Option<BaseUrl>,
    command: &UserCommand,
) -> anyhow::Result<()> {
    let database = Database::beside(&database.settings()?).await?;
    let store = database.store().await?;
    let done = on(&store, base_url, command).await;
    store.close().await;
    database.close().await;
    done
}
