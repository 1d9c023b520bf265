//! Somebody's own account: password, second step, where they are signed in, what is held on them.

use actix_web::http::header::{CONTENT_DISPOSITION, ContentType};
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use askama::Template;
use dot_reach_accounts::{AccountId, Accounts, FirmId, MainsLicence, SessionId};
use jiff::Timestamp;
use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};
use qrcode::QrCode;
use qrcode::render::svg;
use serde::Deserialize;
use serde_json::json;

use crate::app::Away;
use crate::commands::Answer;
use crate::door::{Caller, Own, server_name};
use crate::error::WebError;
use crate::pages::{Shell, html};
use crate::server::Server;

#[derive(Template)]
#[template(path = "own/page.html")]
struct Page {
    shell: Shell,
    firm: String,
    name: String,
    login: String,
    role: &'static str,
    licence: Option<MainsLicence>,
    has_second_step: bool,
    sessions: Vec<Row>,
    passkeys: Vec<KeyRow>,
}

struct KeyRow {
    id: String,
    name: String,
    since: String,
    used: Option<String>,
}

struct Row {
    id: String,
    agent: String,
    since: String,
    used: String,
    is_this: bool,
}

#[get("/own")]
pub(crate) async fn show(Own(signed, caller, ..): Own, server: web::Data<Server>) -> Answer {
    let (id, firm) = (signed.account.id.clone(), signed.account.firm.clone());
    let ask = move |accounts: &Accounts| {
        Ok((accounts.sessions(&id)?, accounts.passkeys(&id)?, accounts.firm(&firm)?))
    };
    let (sessions, passkeys, firm) = server.firms()?.ask(ask).await?;
    let row = |s: dot_reach_accounts::Session| Row {
        is_this: s.id == signed.session,
        id: s.id.to_string(),
        agent: machine(&s.agent),
        since: s.since.to_string(),
        used: s.used.to_string(),
    };
    let key = |k: dot_reach_accounts::Passkey| KeyRow {
        since: k.since.to_string(),
        used: k.used.map(|used| used.to_string()),
        id: k.id,
        name: k.name,
    };
    html(&Page {
        passkeys: passkeys.into_iter().map(key).collect(),
        shell: Shell::plain("Your account").of(&caller),
        firm: firm.map(|f| f.name).unwrap_or_default(),
        role: signed.account.role.word(),
        licence: signed.account.licence.clone(),
        has_second_step: signed.account.has_second_step,
        sessions: sessions.into_iter().map(row).collect(),
        name: signed.account.name,
        login: signed.account.login,
    })
}

/// What a browser calls itself, in as much as tells one machine from another.
fn machine(agent: &str) -> String {
    let kinds = [
        ("Android", "phone or tablet, Android"),
        ("iPhone", "phone, iOS"),
        ("iPad", "tablet, iOS"),
        ("Windows", "computer, Windows"),
        ("Mac OS", "computer, macOS"),
        ("Linux", "computer, Linux"),
    ];
    let found = kinds.iter().find(|(sign, _)| agent.contains(sign));
    found.map_or_else(|| agent.chars().take(40).collect(), |(_, word)| (*word).to_owned())
}

/// Old and new password.
#[derive(Deserialize)]
pub(crate) struct SentPasswords {
    given: String,
    password: String,
}

#[post("/own/password")]
pub(crate) async fn password(
    Own(signed, caller, sent): Own<web::Json<SentPasswords>>,
    server: web::Data<Server>,
) -> Answer {
    let SentPasswords { given, password } = sent.into_inner();
    let (account, session) = (signed.account, signed.session);
    let elsewhere = Away::Elsewhere(account.id.clone(), session.clone());
    let ask =
        move |accounts: &Accounts| accounts.set_password(&account, &given, &password, &session);
    server.firms()?.ask(ask).await?;
    caller.app.send_away(&elsewhere);
    Ok(HttpResponse::Ok().json(json!({ "location": "/own" })))
}

/// A secret for a second step, as a picture and as letters; it counts once a code of it was given.
#[post("/own/second-step/new")]
pub(crate) async fn new_second_step(Own(signed, ..): Own, server: web::Data<Server>) -> Answer {
    let made =
        server.firms()?.ask(move |accounts| accounts.new_second_step(&signed.account)).await?;
    let picture =
        QrCode::new(made.address.as_bytes()).map_err(|e| WebError::Inside(e.to_string()))?;
    let picture = picture.render::<svg::Color<'_>>().min_dimensions(200, 200).build();
    let picture = utf8_percent_encode(&picture, NON_ALPHANUMERIC);
    Ok(HttpResponse::Ok().json(json!({
        "secret": made.secret, "picture": format!("data:image/svg+xml,{picture}"),
    })))
}

/// The secret, a code of it, and the password.
#[derive(Deserialize)]
pub(crate) struct SentSecondStep {
    secret: String,
    code: String,
    given: String,
}

#[post("/own/second-step")]
pub(crate) async fn keep_second_step(
    Own(signed, _, sent): Own<web::Json<SentSecondStep>>,
    server: web::Data<Server>,
) -> Answer {
    let SentSecondStep { secret, code, given } = sent.into_inner();
    let ask = move |accounts: &Accounts| {
        accounts.keep_second_step(&signed.account, (&secret, &code), &given, Timestamp::now())
    };
    server.firms()?.ask(ask).await?;
    Ok(HttpResponse::Ok().json(json!({ "location": "/own" })))
}

/// The password.
#[derive(Deserialize)]
pub(crate) struct SentGiven {
    given: String,
}

#[post("/own/second-step/end")]
pub(crate) async fn end_second_step(
    Own(signed, _, sent): Own<web::Json<SentGiven>>,
    server: web::Data<Server>,
) -> Answer {
    let given = sent.into_inner().given;
    server.firms()?.ask(move |accounts| accounts.end_second_step(&signed.account, &given)).await?;
    Ok(HttpResponse::Ok().json(json!({ "location": "/own" })))
}

/// What a machine is asked for to make a passkey.
#[post("/own/passkeys/new")]
pub(crate) async fn new_passkey(
    Own(signed, _, sent): Own<web::Json<SentGiven>>,
    request: HttpRequest,
    server: web::Data<Server>,
) -> Answer {
    let name = server_name(&request);
    let given = sent.into_inner().given;
    let ask = move |accounts: &Accounts| accounts.new_passkey(&signed.account, &given, &name);
    let asked = server.firms()?.ask(ask).await?;
    Ok(HttpResponse::Ok().content_type(ContentType::json()).body(asked))
}

/// What a machine made, and what its person calls it.
#[derive(Deserialize)]
pub(crate) struct SentPasskey {
    name: String,
    answer: serde_json::Value,
}

#[post("/own/passkeys")]
pub(crate) async fn keep_passkey(
    Own(signed, _, sent): Own<web::Json<SentPasskey>>,
    request: HttpRequest,
    server: web::Data<Server>,
) -> Answer {
    let SentPasskey { name, answer } = sent.into_inner();
    let at = server_name(&request);
    let ask = move |accounts: &Accounts| {
        let made = (name.as_str(), &*answer.to_string().into_bytes());
        accounts.keep_passkey(&signed.account, &at, made, Timestamp::now())
    };
    server.firms()?.ask(ask).await?;
    Ok(HttpResponse::Ok().json(json!({ "location": "/own" })))
}

/// One of the passkeys.
#[derive(Deserialize)]
pub(crate) struct SentEnd {
    passkey: String,
}

#[post("/own/passkeys/end")]
pub(crate) async fn end_passkey(
    Own(signed, _, sent): Own<web::Json<SentEnd>>,
    server: web::Data<Server>,
) -> Answer {
    let id = sent.into_inner().passkey;
    server.firms()?.ask(move |accounts| accounts.end_passkey(&signed.account.id, &id)).await?;
    Ok(HttpResponse::Ok().json(json!({ "location": "/own" })))
}

/// A session, or all but this one.
#[derive(Deserialize)]
pub(crate) struct SentSession {
    #[serde(default)]
    session: String,
}

#[post("/own/sessions/end")]
pub(crate) async fn end_sessions(
    Own(signed, caller, sent): Own<web::Json<SentSession>>,
    server: web::Data<Server>,
) -> Answer {
    let wanted = sent.into_inner().session;
    let (account, own) = (signed.account.id, signed.session);
    let away = if wanted.is_empty() {
        Away::Elsewhere(account.clone(), own.clone())
    } else {
        Away::Session(SessionId::from(wanted.as_str()))
    };
    let ask = move |accounts: &Accounts| {
        if wanted.is_empty() {
            accounts.end_sessions(&account, Some(&own))
        } else {
            accounts.end_session(&account, &SessionId::from(wanted.as_str()))
        }
    };
    server.firms()?.ask(ask).await?;
    caller.app.send_away(&away);
    Ok(HttpResponse::Ok().json(json!({ "location": "/own" })))
}

#[get("/own/held.json")]
pub(crate) async fn held(Own(signed, caller, ..): Own, server: web::Data<Server>) -> Answer {
    let (firm, id) = (signed.account.firm, signed.account.id);
    held_on(&caller, firm, id, &server).await
}

/// All that is held on somebody, as a file: who they are, where they are signed in, and what they did, by job.
pub(crate) async fn held_on(
    caller: &Caller,
    firm: FirmId,
    id: AccountId,
    server: &Server,
) -> Answer {
    let about = id.clone();
    let account = server.firms()?.ask(move |accounts| accounts.held_on(&firm, &about)).await?;
    let done = caller.app.ask(move |store| store.done_by(&format!("person:{id}"))).await?;
    let done: Vec<_> = done
        .into_iter()
        .map(
            |(job, changes, entries)| json!({ "job": job, "changes": changes, "entries": entries }),
        )
        .collect();
    Ok(HttpResponse::Ok()
        .insert_header((CONTENT_DISPOSITION, "attachment; filename=\"held.json\""))
        .json(json!({ "account": account, "jobs": done })))
}
