//! Who may come in to a firm: its people, what they are there, their licences, and links that let them in.

mod due;

use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use dot_reach_accounts::{Account, AccountId, Accounts, FirmRole, OpenInvite, Token};
use dot_reach_core::catalogue::countries::COUNTRIES;
use dot_reach_store::Store;
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
    open: Vec<OpenRow>,
    keep_years: u32,
    due: Vec<DueRow>,
}

/// A job that nobody has changed for longer than the firm keeps one.
struct DueRow {
    id: String,
    name: String,
    changed: String,
}

/// A link that nobody has followed yet.
struct OpenRow {
    id: String,
    name: String,
    role: &'static str,
    until: String,
    is_reset: bool,
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
    let ask = move |accounts: &Accounts| {
        let open = accounts.open_invites(&firm, Timestamp::now())?;
        let keep_years = accounts.keep_years(&firm)?;
        Ok((accounts.firm(&firm)?, accounts.people(&firm)?, open, keep_years))
    };
    let (firm, people, open, keep_years) = server.firms()?.ask(ask).await?;
    let people = people.into_iter().map(|a| Row::of(a, &signed.account.id)).collect();
    let firm = firm.map(|f| f.name).unwrap_or_default();
    let countries = COUNTRIES.iter().map(|c| (c.code.clone(), c.name.clone())).collect();
    let shell = Shell::plain("People").of(&of.0);
    let row = |i: OpenInvite| OpenRow {
        id: i.id,
        name: i.name,
        role: i.role.word(),
        until: i.until.to_string(),
        is_reset: i.is_reset,
    };
    let open = open.into_iter().map(row).collect();
    let due = due::due(of.0.app.ask(Store::jobs).await?, keep_years, Timestamp::now());
    let due = due.into_iter().map(|job| DueRow {
        id: job.id.to_string(),
        changed: job.changed_at.chars().take(10).collect(),
        name: job.name,
    });
    let due = due.collect();
    html(&Page { shell, firm, people, roles: FirmRole::ALL, countries, open, keep_years, due })
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

/// For how many years a job is kept.
#[derive(Deserialize)]
pub(crate) struct SentYears {
    years: String,
}

#[post("/people/keeping")]
pub(crate) async fn keep(
    Of(caller, sent, ..): Of<Manage, web::Json<SentYears>>,
    server: web::Data<Server>,
) -> Answer {
    let (firm, years) = (firm_of(&caller)?, sent.into_inner().years);
    let read = if years.trim().is_empty() { Ok(0) } else { years.trim().parse() };
    let years =
        read.map_err(|_| WebError::field("years", "a number of years; 0 keeps them for good"))?;
    server.firms()?.ask(move |accounts| accounts.set_keep_years(&firm, years)).await?;
    Ok(HttpResponse::Ok().json(json!({ "location": "/people" })))
}

/// A link that is taken back.
#[derive(Deserialize)]
pub(crate) struct SentEnd {
    invite: String,
}

#[post("/people/invites/end")]
pub(crate) async fn end_invite(
    Of(caller, sent, ..): Of<Manage, web::Json<SentEnd>>,
    server: web::Data<Server>,
) -> Answer {
    let (firm, id) = (firm_of(&caller)?, sent.into_inner().invite);
    server.firms()?.ask(move |accounts| accounts.end_invite(&firm, &id)).await?;
    Ok(HttpResponse::Ok().json(json!({ "location": "/people" })))
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
