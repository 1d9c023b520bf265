//! Coming in and going: signing in, a code after it, links that make an account or choose a password anew.

use actix_web::http::header::{ContentType, LOCATION};
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use askama::Template;
use dot_reach_accounts::{Accounts, Entered, FirmRole, Invited, NewPerson};
use jiff::Timestamp;
use serde::Deserialize;
use serde_json::json;

use crate::app::Away;
use crate::commands::Answer;
use crate::door::{Anybody, Own, let_in, server_name, show_out, whence};
use crate::error::WebError;
use crate::pages::{Shell, html};
use crate::server::Server;

#[derive(Template)]
#[template(path = "sign_in/page.html")]
struct Page {
    shell: Shell,
    then: String,
}

/// Where somebody goes on once they are in.
#[derive(Deserialize)]
pub(crate) struct Then {
    #[serde(default)]
    then: String,
}

/// An address of this program, or the list of jobs: never one elsewhere.
fn own_address(then: &str) -> &str {
    let is_own =
        then.starts_with('/') && !then.starts_with("//") && !then.contains(['\\', '\n', '\r']);
    if is_own && !then.starts_with("/sign-in") { then } else { "/" }
}

#[get("/sign-in")]
pub(crate) async fn show(_: Anybody, query: web::Query<Then>, server: web::Data<Server>) -> Answer {
    server.firms()?;
    let then = own_address(&query.then).to_owned();
    html(&Page { shell: Shell::outside("Sign in"), then })
}

/// What somebody signs in by.
#[derive(Deserialize)]
pub(crate) struct SentPassword {
    login: String,
    password: String,
    #[serde(default)]
    then: String,
}

#[post("/sign-in")]
pub(crate) async fn enter(
    _: Anybody,
    request: HttpRequest,
    sent: web::Json<SentPassword>,
    server: web::Data<Server>,
) -> Answer {
    let SentPassword { login, password, then } = sent.into_inner();
    let (address, agent) = whence(&request);
    let ask = move |accounts: &Accounts| {
        accounts.sign_in(&login, &password, (address, &agent), Timestamp::now())
    };
    Ok(match server.firms()?.ask(ask).await? {
        Entered::In(token) => {
            let mut answer = HttpResponse::Ok().json(json!({ "location": own_address(&then) }));
            let_in(&mut answer, &request, &token);
            answer
        }
        Entered::OwesCode(half_way) => {
            HttpResponse::Ok().json(json!({ "half_way": half_way.as_str() }))
        }
    })
}

/// The code after the password.
#[derive(Deserialize)]
pub(crate) struct SentCode {
    half_way: String,
    code: String,
    #[serde(default)]
    then: String,
}

#[post("/sign-in/code")]
pub(crate) async fn code(
    _: Anybody,
    request: HttpRequest,
    sent: web::Json<SentCode>,
    server: web::Data<Server>,
) -> Answer {
    let SentCode { half_way, code, then } = sent.into_inner();
    let (address, agent) = whence(&request);
    let ask = move |accounts: &Accounts| {
        accounts.give_code(&half_way, &code, (address, &agent), Timestamp::now())
    };
    let token = server.firms()?.ask(ask).await?;
    let mut answer = HttpResponse::Ok().json(json!({ "location": own_address(&then) }));
    let_in(&mut answer, &request, &token);
    Ok(answer)
}

/// What a machine is asked for to let somebody in by a passkey.
#[post("/sign-in/passkey/new")]
pub(crate) async fn ask_for_passkey(
    _: Anybody,
    request: HttpRequest,
    server: web::Data<Server>,
) -> Answer {
    let ((address, _), name) = (whence(&request), server_name(&request));
    let ask = move |accounts: &Accounts| accounts.ask_for_passkey(&name, address);
    let asked = server.firms()?.ask(ask).await?;
    Ok(HttpResponse::Ok().content_type(ContentType::json()).body(asked))
}

/// What a machine answered.
#[derive(Deserialize)]
pub(crate) struct SentPasskey {
    answer: serde_json::Value,
    #[serde(default)]
    then: String,
}

#[post("/sign-in/passkey")]
pub(crate) async fn passkey(
    _: Anybody,
    request: HttpRequest,
    sent: web::Json<SentPasskey>,
    server: web::Data<Server>,
) -> Answer {
    let SentPasskey { answer, then } = sent.into_inner();
    let ((address, agent), name) = (whence(&request), server_name(&request));
    let ask = move |accounts: &Accounts| {
        let answer = answer.to_string();
        accounts.sign_in_by_passkey(&name, answer.as_bytes(), (address, &agent), Timestamp::now())
    };
    let token = server.firms()?.ask(ask).await?;
    let mut answer = HttpResponse::Ok().json(json!({ "location": own_address(&then) }));
    let_in(&mut answer, &request, &token);
    Ok(answer)
}

#[post("/sign-out")]
pub(crate) async fn leave(
    Own(signed, caller, ..): Own,
    request: HttpRequest,
    server: web::Data<Server>,
) -> Answer {
    let (account, session) = (signed.account.id, signed.session);
    let ended = session.clone();
    server.firms()?.ask(move |accounts| accounts.end_session(&account, &ended)).await?;
    caller.app.send_away(&Away::Session(session));
    let mut answer = HttpResponse::Ok().json(json!({ "location": "/sign-in" }));
    show_out(&mut answer, &request);
    Ok(answer)
}

#[derive(Template)]
#[template(path = "sign_in/welcome.html")]
struct Welcome {
    shell: Shell,
    token: String,
    invited: Invited,
    /// What they will be, and what that means.
    role: (&'static str, &'static str),
}

#[get("/in/{token}")]
pub(crate) async fn welcome(
    _: Anybody,
    token: web::Path<String>,
    server: web::Data<Server>,
) -> Answer {
    let token = token.into_inner();
    let asked = token.clone();
    let invited =
        server.firms()?.ask(move |accounts| accounts.invited(&asked, Timestamp::now())).await?;
    let title = if invited.login.is_some() { "A new password" } else { "Come in" };
    let found = FirmRole::ALL.into_iter().find(|(role, ..)| *role == invited.role);
    let role = found.map(|(_, word, means)| (word, means)).unwrap_or_default();
    html(&Welcome { shell: Shell::outside(title), token, invited, role })
}

/// What somebody fills in who follows a link.
#[derive(Deserialize)]
pub(crate) struct SentPerson {
    #[serde(default)]
    firm: String,
    #[serde(default)]
    name: String,
    #[serde(default)]
    login: String,
    password: String,
}

#[post("/in/{token}")]
pub(crate) async fn take(
    _: Anybody,
    request: HttpRequest,
    token: web::Path<String>,
    sent: web::Json<SentPerson>,
    server: web::Data<Server>,
) -> Answer {
    let SentPerson { firm, name, login, password } = sent.into_inner();
    let filled = NewPerson { firm, name, login, password };
    let token = token.into_inner();
    let (address, agent) = whence(&request);
    let ask = move |accounts: &Accounts| {
        let now = Timestamp::now();
        let account = accounts.take_invite(&token, &filled, now)?;
        accounts.sign_in(&account.login, &filled.password, (address, &agent), now)
    };
    // A new password leaves no second step: they are in.
    let Entered::In(token) = server.firms()?.ask(ask).await? else { return Err(WebError::SignIn) };
    let mut answer = HttpResponse::Ok().json(json!({ "location": "/" }));
    let_in(&mut answer, &request, &token);
    Ok(answer)
}

/// Follows a link for somebody without an account: to the page that it is for.
#[get("/l/{token}")]
pub(crate) async fn follow(
    _: Anybody,
    request: HttpRequest,
    token: web::Path<String>,
    server: web::Data<Server>,
) -> Answer {
    super::links::follow(&request, token.into_inner(), &server).await
}

/// To a page, for whoever came by a link.
pub(crate) fn on_to(page: &str) -> HttpResponse {
    HttpResponse::SeeOther().insert_header((LOCATION, page)).finish()
}
