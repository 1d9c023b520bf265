//! Who asks, which firm it is of, and by which way they came in: by a session, by a link, or because they sit at this
//! machine.

use std::collections::BTreeSet;
use std::net::IpAddr;

use actix_web::cookie::{Cookie, SameSite, time};
use actix_web::http::header::{HOST, HeaderName, HeaderValue, SET_COOKIE, USER_AGENT};
use actix_web::{HttpMessage, HttpRequest, HttpResponse, web};
use dot_reach_accounts::{FirmRole, GuestLink, LONGEST, LinkScope, ServerName, SignedIn, Token};
use dot_reach_core::site::{Site, Visit};

use super::Visitor;
use crate::app::{App, Away};
use crate::error::WebError;
use crate::server::{Front, Server};

/// Who asks, and by which way they came in.
#[derive(Clone, Debug)]
pub(crate) struct Caller {
    pub(crate) person: Visitor,
    /// The firm that they are of, or that gave them a link.
    pub(crate) app: web::Data<App>,
    via: Via,
}

/// How somebody came in.
#[derive(Clone, Debug)]
enum Via {
    /// At this machine, where nobody signs in: the planner, who may do everything.
    Here,
    Session(SignedIn),
    Link(GuestLink),
}

/// The token that a session got anew, for the answer.
struct Renewed(Token);

impl Caller {
    /// Who asks.
    ///
    /// # Errors
    /// Nobody who is known here.
    pub(super) async fn of(request: &HttpRequest) -> Result<Self, WebError> {
        let server = request.app_data::<web::Data<Server>>();
        let server = server.ok_or_else(|| WebError::Inside("no server".to_owned()))?;
        let firms = match &server.front {
            Front::Here(app) => {
                return Ok(Self {
                    person: Visitor::here(request),
                    app: app.clone(),
                    via: Via::Here,
                });
            }
            Front::Firms(firms) => firms,
        };
        let now = jiff::Timestamp::now();
        if let Some(token) = cookie(request, SESSION) {
            let found = firms.ask(move |accounts| accounts.signed_in(&token, now)).await?;
            if let Some(mut signed) = found {
                if let Some(token) = signed.renewed.take() {
                    request.extensions_mut().insert(Renewed(token));
                }
                let app = firms.open(&signed.account.firm, &server.shared).await?;
                let person = Visitor::signed_in(&signed.account);
                return Ok(Self { person, app, via: Via::Session(signed) });
            }
        }
        if let Some(token) = cookie(request, GUEST) {
            let found = firms.ask(move |accounts| accounts.link(&token, now)).await?;
            if let Some(link) = found {
                let app = firms.open(&link.firm, &server.shared).await?;
                return Ok(Self { person: Visitor::by_link(&link), app, via: Via::Link(link) });
            }
        }
        Err(WebError::SignIn)
    }

    /// Whoever signed in.
    pub(crate) fn signed_in(&self) -> Option<&SignedIn> {
        match &self.via {
            Via::Session(signed) => Some(signed),
            Via::Here | Via::Link(_) => None,
        }
    }

    /// The link that was followed.
    pub(crate) fn link(&self) -> Option<&GuestLink> {
        match &self.via {
            Via::Link(link) => Some(link),
            Via::Here | Via::Session(_) => None,
        }
    }

    /// What they are in their firm; nothing for who sits here, or followed a link.
    pub(crate) fn role(&self) -> Option<FirmRole> {
        self.signed_in().map(|signed| signed.account.role)
    }

    /// Whether they work with join codes, which open the network of the house.
    pub(crate) fn may_see_codes(&self) -> bool {
        use FirmRole::{Installer, Owner, Planner};
        self.is_here()
            || self.role().is_some_and(|role| matches!(role, Owner | Planner | Installer))
    }

    /// Whether they sit at this machine.
    pub(crate) fn is_here(&self) -> bool {
        matches!(self.via, Via::Here)
    }

    /// The first page of a job for them; of one without a device yet another than of one with.
    pub(crate) fn first_page(&self, job: &str, is_bare: bool) -> String {
        let page = match &self.via {
            Via::Link(link) => match link.scope {
                LinkScope::Client => "handover".to_owned(),
                LinkScope::Electrician => "install/electrician".to_owned(),
                LinkScope::Integrator => format!("{job}.json"),
            },
            Via::Session(signed) if signed.account.role == FirmRole::Electrician => {
                "install".to_owned()
            }
            Via::Here | Via::Session(_) if is_bare => "survey".to_owned(),
            Via::Here | Via::Session(_) => "reach".to_owned(),
        };
        format!("/jobs/{job}/{page}")
    }

    /// The visits that they may see the wiring of: all of them, or those on which they are named.
    pub(crate) fn visits(&self, site: &Site) -> Option<BTreeSet<String>> {
        match &self.via {
            Via::Link(link) if link.scope == LinkScope::Electrician => {
                Some([link.visit.clone()].into())
            }
            Via::Link(_) => Some(BTreeSet::new()),
            Via::Session(signed) if signed.account.role == FirmRole::Electrician => {
                let account = signed.account.id.as_str();
                let people = site.people.iter().filter(|p| p.account == account);
                let people: BTreeSet<_> = people.map(|p| &p.id).collect();
                let is_named = |visit: &&Visit| visit.people.iter().any(|p| people.contains(p));
                Some(site.visits.iter().filter(is_named).map(|v| v.of.clone()).collect())
            }
            Via::Here | Via::Session(_) => None,
        }
    }

    /// Whether a departure is theirs.
    pub(crate) fn is_sent_away(&self, away: &Away) -> bool {
        match (away, &self.via) {
            (Away::Person(id), Via::Session(signed)) => signed.account.id == *id,
            (Away::Elsewhere(id, but), Via::Session(signed)) => {
                signed.account.id == *id && signed.session != *but
            }
            (Away::Session(id), Via::Session(signed)) => signed.session == *id,
            (Away::Link(id), Via::Link(link)) => link.id == *id,
            _ => false,
        }
    }
}

/// The cookie of a session; `__Host-` binds it to this very name, and to TLS.
const SESSION: &str = "session";
/// The cookie of a link that was followed.
const GUEST: &str = "guest";

fn full_name(name: &str, is_secure: bool) -> String {
    if is_secure { format!("__Host-{name}") } else { name.to_owned() }
}

/// Under what name this server was asked; the guard let in none but its own.
pub(crate) fn server_name(request: &HttpRequest) -> ServerName {
    let asked = request.headers().get(HOST).and_then(|host| host.to_str().ok()).unwrap_or_default();
    let host = asked.rsplit_once(':').map_or(asked, |(name, _)| name).to_lowercase();
    let scheme = if is_secure(request) { "https" } else { "http" };
    ServerName { host, origin: format!("{scheme}://{asked}") }
}

fn is_secure(request: &HttpRequest) -> bool {
    request.app_data::<web::Data<Server>>().is_some_and(|s| s.shared.settings.is_secure)
}

fn cookie(request: &HttpRequest, name: &str) -> Option<String> {
    request.cookie(&full_name(name, is_secure(request))).map(|c| c.value().to_owned())
}

fn set(
    response: &mut HttpResponse<impl Sized>,
    request: &HttpRequest,
    name: &str,
    value: &str,
    age: time::Duration,
) {
    let is_secure = is_secure(request);
    let cookie = Cookie::build(full_name(name, is_secure), value)
        .path("/")
        .same_site(SameSite::Lax)
        .http_only(true)
        .secure(is_secure)
        .max_age(age)
        .finish();
    if let Ok(value) = HeaderValue::from_str(&cookie.to_string()) {
        response.headers_mut().append(SET_COOKIE, value);
    }
}

/// Gives the browser the word of a session. A link that it followed before is left.
pub(crate) fn let_in(
    response: &mut HttpResponse<impl Sized>,
    request: &HttpRequest,
    token: &Token,
) {
    set(response, request, SESSION, token.as_str(), time::Duration::seconds(LONGEST.as_secs()));
}

/// Gives the browser the word of a link.
pub(crate) fn let_in_by_link(
    response: &mut HttpResponse<impl Sized>,
    request: &HttpRequest,
    token: &str,
) {
    set(response, request, GUEST, token, time::Duration::days(180));
}

/// Takes the words of session and link from the browser, with what its cache holds. What was not sent yet is the page's to
/// ask about; it is not lost by this.
pub(crate) fn show_out(response: &mut HttpResponse<impl Sized>, request: &HttpRequest) {
    set(response, request, SESSION, "", time::Duration::ZERO);
    set(response, request, GUEST, "", time::Duration::ZERO);
    let all = HeaderValue::from_static("\"cache\"");
    response.headers_mut().insert(HeaderName::from_static("clear-site-data"), all);
}

/// Gives a session that got another word that word with the answer.
pub(crate) fn renew(response: &mut HttpResponse<impl Sized>, request: &HttpRequest) {
    let renewed = request.extensions_mut().remove::<Renewed>();
    if let Some(Renewed(token)) = renewed {
        let_in(response, request, &token);
    }
}

/// From where somebody asks, and what their browser calls itself. A proxy is believed where the operator named it.
pub(crate) fn whence(request: &HttpRequest) -> (IpAddr, String) {
    let peer = request.peer_addr().map_or(IpAddr::from([0; 4]), |at| at.ip());
    let proxies =
        request.app_data::<web::Data<Server>>().map(|s| s.shared.settings.proxies.clone());
    let is_proxy = |at: &IpAddr| proxies.iter().flatten().any(|proxy| proxy == at);
    let told =
        request.headers().get("x-forwarded-for").and_then(|v| v.to_str().ok()).unwrap_or_default();
    let mut from = peer;
    // From the near end: what stands before the first that is no proxy of ours, anybody may have written.
    for hop in told.rsplit(',') {
        match hop.trim().parse() {
            Ok(hop) if is_proxy(&from) => from = hop,
            _ => break,
        }
    }
    let agent = request.headers().get(USER_AGENT).and_then(|v| v.to_str().ok()).unwrap_or_default();
    (from, agent.to_owned())
}
