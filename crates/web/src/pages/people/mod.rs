//! Who may come in to a firm: its people, what they are there, their licences, and links that let them in.

use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use dot_reach_accounts::{Account, AccountId, Accounts, FirmRole, Token};
use dot_reach_core::catalogue::countries::COUNTRIES;
use jiff::Timestamp;
use serde::Deserialize;
use serde_json::json;

use crate::app::Away;
use crate::commands::Answer;
use crate::door::{Caller, Manage, Of};
use crate::error::WebError;
use crate::pages::{Shell, html};
use crate::server::Server;

#[derive(Template)]
#[template(path = "people/page.html")]
struct Page {
    shell: Shell,
    firm: String,
    people: Vec<Row>,
    roles: [(FirmRole, &'static str, &'static str); 5],
    countries: Vec<(String, String)>,
}

#[expect(clippy::struct_excessive_bools, reason = "each is a line of the page")]
struct Row {
    id: String,
    name: String,
    login: String,
    role: FirmRole,
    number: String,
    country: String,
    has_second_step: bool,
    is_shut: bool,
    is_self: bool,
    /// Whether the name was deleted: nothing is left to be done.
    is_gone: bool,
}

impl Row {
    fn of(account: Account, own: &AccountId) -> Self {
        let Account { id, name, login, role, licence, has_second_step, is_shut, .. } = account;
        let (number, country) = licence.map(|l| (l.number, l.country)).unwrap_or_default();
        let (is_self, is_gone) = (id == *own, login.is_empty());
        let name = if is_gone { "somebody whose name was deleted".to_owned() } else { name };
        Self {
            id: id.to_string(),
            name,
            login,
            role,
            number,
            country,
            has_second_step,
            is_shut,
            is_self,
            is_gone,
        }
    }
}

#[get("/people")]
pub(crate) async fn show(of: Of<Manage>, server: web::Data<Server>) -> Answer {
    let signed =
        of.0.signed_in().cloned().ok_or(WebError::NotFound("page: nobody signs in here"))?;
    let firm = signed.account.firm.clone();
    let ask = move |accounts: &Accounts| Ok((accounts.firm(&firm)?, accounts.people(&firm)?));
    let (firm, people) = server.firms()?.ask(ask).await?;
    let people = people.into_iter().map(|a| Row::of(a, &signed.account.id)).collect();
    let firm = firm.map(|f| f.name).unwrap_or_default();
    let countries = COUNTRIES.iter().map(|c| (c.code.clone(), c.name.clone())).collect();
    let shell = Shell::plain("People").of(&of.0);
    html(&Page { shell, firm, people, roles: FirmRole::ALL, countries })
}

/// Whom a link is to let in.
#[derive(Deserialize)]
pub(crate) struct SentInvite {
    #[serde(default)]
    name: String,
    role: String,
}

#[post("/people/invites")]
pub(crate) async fn invite(
    Of(caller, sent, ..): Of<Manage, web::Json<SentInvite>>,
    server: web::Data<Server>,
) -> Answer {
    let firm = firm_of(&caller)?;
    let SentInvite { name, role } = sent.into_inner();
    let ask =
        move |accounts: &Accounts| accounts.invite(&firm, role.parse()?, &name, Timestamp::now());
    Ok(link(&server.firms()?.ask(ask).await?, "It is good for 7 days and works once."))
}

/// What is done about somebody.
#[derive(Deserialize)]
#[serde(tag = "act", rename_all = "kebab-case")]
pub(crate) enum SentAct {
    /// Gives them another part.
    Role { role: String },
    /// Puts their licence on record.
    Licence { number: String, country: String },
    /// Shuts them out.
    Shut,
    /// Lets them in again.
    Open,
    /// A link to a new password.
    Reset,
    /// Deletes who they were.
    DeleteName,
}

#[post("/people/{person}")]
pub(crate) async fn act(
    Of(caller, sent, ..): Of<Manage, web::Json<SentAct>>,
    person: web::Path<String>,
    server: web::Data<Server>,
) -> Answer {
    let firm = firm_of(&caller)?;
    let id = AccountId::from(person.as_str());
    let about = id.clone();
    let sent = sent.into_inner();
    let is_name = matches!(sent, SentAct::DeleteName);
    let sends_away = !matches!(sent, SentAct::Licence { .. } | SentAct::Open);
    let ask = move |accounts: &Accounts| {
        let now = Timestamp::now();
        match sent {
            SentAct::Role { role } => accounts.set_role(&firm, &id, role.parse()?)?,
            SentAct::Licence { number, country } => {
                accounts.set_licence(&firm, &id, &number, &country)?;
            }
            SentAct::Shut => accounts.set_shut(&firm, &id, true, now)?,
            SentAct::Open => accounts.set_shut(&firm, &id, false, now)?,
            SentAct::Reset => return accounts.reset(&firm, &id, now).map(Some),
            SentAct::DeleteName => accounts.delete_name(&firm, &id, now)?,
        }
        Ok(None)
    };
    let made = server.firms()?.ask(ask).await?;
    if let Some(token) = made {
        return Ok(link(
            &token,
            "It is good for a day and works once. Their sign-ins end when it is used.",
        ));
    }
    if is_name {
        let gone = about.clone();
        caller.app.clone().ask(move |store| store.forget_person(gone.as_str())).await?;
    }
    if sends_away {
        caller.app.clone().send_away(&Away::Person(about));
    }
    Ok(HttpResponse::Ok().json(json!({ "location": "/people" })))
}

/// All that is held on somebody, for them.
#[get("/people/{person}/held.json")]
pub(crate) async fn held(
    of: Of<Manage>,
    person: web::Path<String>,
    server: web::Data<Server>,
) -> Answer {
    super::own::held_on(&of.0, firm_of(&of.0)?, AccountId::from(person.as_str()), &server).await
}

fn firm_of(caller: &Caller) -> Result<dot_reach_accounts::FirmId, WebError> {
    let signed = caller.signed_in().ok_or(WebError::NotFound("page: nobody signs in here"))?;
    Ok(signed.account.firm.clone())
}

/// A link, shown once: the page puts the name of this server before it.
fn link(token: &Token, good: &str) -> HttpResponse {
    HttpResponse::Ok().json(json!({ "link": format!("/in/{}", token.as_str()), "told": good }))
}
