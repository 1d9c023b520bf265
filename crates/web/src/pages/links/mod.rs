//! Links to a job for people without an account: given, counted, ended; and what whoever follows one may do.

use actix_web::{HttpRequest, get, post, web};
use askama::Template;
use dot_reach_accounts::{Accounts, GuestLink, LinkId, LinkScope};
use dot_reach_core::record::{Prepared, Telling, What};
use dot_reach_core::wish::PageRequest;
use jiff::{SignedDuration, Timestamp};
use serde::Deserialize;
use serde_json::json;

use super::sign_in::on_to;
use crate::app::{Away, News, moment, now};
use crate::commands::{Answer, ChangeMark, caller, command, drawn, keep, receipt};
use crate::door::{Agree, For, Keep, let_in_by_link};
use crate::error::WebError;
use crate::pages::house_time::day;
use crate::pages::install::visit_name;
use crate::pages::{Shell, printed};
use crate::server::Server;

#[derive(Template)]
#[template(path = "links/page.html")]
struct Page {
    shell: Shell,
    scopes: [(LinkScope, &'static str, &'static str); 3],
    /// The visits of the plan, by key and in words.
    visits: Vec<(String, String)>,
    links: Vec<Row>,
}

struct Row {
    id: String,
    name: String,
    what: String,
    until: String,
    uses: String,
    state: &'static str,
    is_good: bool,
}

impl Row {
    fn of(link: &GuestLink, at: Timestamp, visits: &[(String, String)]) -> Self {
        let (_, word, shows) = LinkScope::ALL
            .into_iter()
            .find(|(s, ..)| *s == link.scope)
            .unwrap_or(LinkScope::ALL[0]);
        let visit =
            visits.iter().find(|(key, _)| *key == link.visit).map(|(_, name)| format!(", {name}"));
        let last =
            link.used.map(|at| format!(", last {}", day(&at.to_string()))).unwrap_or_default();
        let is_good = link.is_good(at);
        Self {
            id: link.id.to_string(),
            name: link.name.clone(),
            what: format!("{word}: {shows}{}", visit.unwrap_or_default()),
            until: day(&link.until.to_string()),
            uses: match link.uses {
                0 => "not followed yet".to_owned(),
                1 => format!("once{last}"),
                n => format!("{n} times{last}"),
            },
            state: match (is_good, link.ended.is_some()) {
                (true, _) => "good",
                (_, true) => "ended",
                _ => "too old",
            },
            is_good,
        }
    }
}

#[get("/jobs/{job}/links")]
pub(crate) async fn show(For(job, ..): For<Keep>, server: web::Data<Server>) -> Answer {
    let signed = job.caller.signed_in().ok_or(WebError::NotFound("page: nobody signs in here"))?;
    let (firm, uid) = (signed.account.firm.clone(), job.uid.clone());
    let links = server.firms()?.ask(move |accounts| accounts.links_of(&firm, &uid)).await?;
    let (_, plan) = job.planned().await?;
    let visits: Vec<_> = plan.visits.iter().map(|v| (v.key.clone(), visit_name(v))).collect();
    printed(job, move |job| {
        let links = links.iter().map(|l| Row::of(l, Timestamp::now(), &visits)).collect();
        Ok(Page { shell: job.shell("links"), scopes: LinkScope::ALL, visits, links })
    })
    .await
}

/// For whom a link is to be.
#[derive(Deserialize)]
pub(crate) struct SentLink {
    scope: String,
    #[serde(default)]
    visit: String,
    name: String,
    /// How many days it is good, as it was typed.
    days: String,
}

#[post("/jobs/{job}/links")]
pub(crate) async fn give(
    For(job, sent, ..): For<Keep, web::Json<SentLink>>,
    server: web::Data<Server>,
) -> Answer {
    let signed = job.caller.signed_in().ok_or(WebError::NotFound("page: nobody signs in here"))?;
    let (firm, by, uid) = (signed.account.firm.clone(), signed.account.id.clone(), job.uid.clone());
    let SentLink { scope, visit, name, days } = sent.into_inner();
    let days: i64 =
        days.trim().parse().map_err(|_| WebError::field("days", "from 1 to 180 days"))?;
    let days = days.clamp(0, 1000);
    let ask = move |accounts: &Accounts| {
        let at = Timestamp::now();
        let until = at.saturating_add(SignedDuration::from_hours(24 * days)).unwrap_or(at);
        accounts.give_link((&firm, &by), (&uid, scope.parse()?, &visit), &name, until, at)
    };
    let token = server.firms()?.ask(ask).await?;
    let told =
        "It is shown this once. Whoever has it may follow it until it is too old or you end it.";
    Ok(actix_web::HttpResponse::Ok()
        .json(json!({ "link": format!("/l/{}", token.as_str()), "told": told })))
}

#[post("/jobs/{job}/links/{link}/end")]
pub(crate) async fn end(
    For(job, ..): For<Keep>,
    path: web::Path<(String, String)>,
    server: web::Data<Server>,
) -> Answer {
    let signed = job.caller.signed_in().ok_or(WebError::NotFound("page: nobody signs in here"))?;
    let (firm, uid, id) =
        (signed.account.firm.clone(), job.uid.clone(), LinkId::from(path.1.as_str()));
    let ended = id.clone();
    server
        .firms()?
        .ask(move |accounts| accounts.end_link(&firm, &uid, &ended, Timestamp::now()))
        .await?;
    job.app.send_away(&Away::Link(id));
    Ok(actix_web::HttpResponse::Ok().json(json!({ "location": format!("/jobs/{}/links", job.id) })))
}

/// Follows a link: counts it, puts it on the record of its job, and leads to the page that it is for.
pub(super) async fn follow(request: &HttpRequest, token: String, server: &Server) -> Answer {
    let firms = server.firms()?;
    let asked = token.clone();
    let link = firms.ask(move |accounts| accounts.follow_link(&asked, Timestamp::now())).await?;
    let app = firms.open(&link.firm, &server.shared).await?;
    let uid = link.job.clone();
    let job =
        app.ask(move |store| store.job_of_uid(&uid)).await?.ok_or(WebError::NotFound("job"))?;
    let used = What::LinkFollowed { name: link.name.clone(), role: link.scope.word().to_owned() };
    let command = dot_reach_store::Command {
        edit_id: drawn("link"),
        client: "link".to_owned(),
        who: link.name.clone(),
        author: format!("link:{}", link.id),
        at: now(),
        base: None,
        force: false,
    };
    let (sender, of, told) = (caller(&command), job.clone(), command.clone());
    let kept = app
        .ask(move |store| {
            store.keep(&of, &command, dot_reach_store::Reads::Nothing, |site, _| {
                let telling = Telling::new(used.clone(), None, Some(&moment()));
                Ok(Prepared { edit: None, entries: sender.entries(site, [telling]) })
            })
        })
        .await?;
    app.announce(News {
        job: job.clone(),
        revision: kept.revision,
        client: told.client,
        who: told.who,
    });
    // Where it leads is told by the door, once the browser comes with it.
    let page = format!("/jobs/{job}");
    let mut answer = on_to(&page);
    let_in_by_link(&mut answer, request, &token);
    Ok(answer)
}

/// What somebody signs with.
#[derive(Deserialize)]
pub(crate) struct SentSignature {
    #[serde(default)]
    note: String,
    #[serde(flatten)]
    mark: ChangeMark,
}

/// Signs that the house is accepted as it stands, for whoever the link is for.
#[post("/jobs/{job}/sign-off")]
pub(crate) async fn sign(For(job, sent, ..): For<Agree, web::Json<SentSignature>>) -> Answer {
    let SentSignature { note, mark } = sent.into_inner();
    let command = command(&job, mark);
    let role = if job.caller.link().is_some() { "client" } else { "installer" };
    let act = json!({ "do": "sign", "id": format!("sign-{}", command.edit_id.replace(['.', ':'], "-")),
        "name": command.who, "role": role, "note": note, "at": moment() });
    let wish: PageRequest =
        serde_json::from_value(act).map_err(|e| WebError::field("note", e.to_string()))?;
    let sender = caller(&command);
    let committed = keep(&job, command, dot_reach_store::Reads::All, move |site, record| {
        wish.clone().prepare(site, record, &sender)
    })
    .await?;
    let mut answer = receipt(&committed);
    answer["told"] = "Signed. It stands on the record of the house.".into();
    Ok(actix_web::HttpResponse::Ok().json(answer))
}
