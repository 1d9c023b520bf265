//! Who asks.

use actix_web::HttpRequest;
use actix_web::HttpResponse;
use actix_web::cookie::{Cookie, SameSite, time};
use actix_web::http::header::{CONTENT_TYPE, HeaderValue, SET_COOKIE};
use dot_reach_accounts::{Account, GuestLink};
use percent_encoding::percent_decode_str;

/// Who asks: a name that others read, and whose changes are whose to undo.
#[derive(Clone, Debug)]
pub(crate) struct Visitor {
    /// Their name: of whoever signed in, or the one that was given on the jobs page.
    pub(crate) who: String,
    /// What tells one person's changes from another's: the person, the name, or the mark of the browser.
    author: Option<String>,
    is_named: bool,
}

/// The longest name.
const LONGEST: usize = 40;
const MARK: &str = "person";

impl Visitor {
    /// Where nobody signs in: by the name that the browser remembers.
    pub(super) fn here(request: &HttpRequest) -> Self {
        let cookie = |name: &str| {
            let value = request.cookie(name).map(|c| c.value().to_owned()).unwrap_or_default();
            let text = percent_decode_str(&value).decode_utf8_lossy().into_owned();
            let text: String = text.chars().filter(|c| !c.is_control()).take(LONGEST).collect();
            Some(text.trim().to_owned()).filter(|text| !text.is_empty())
        };
        let (name, mark) = (cookie("who"), cookie(MARK));
        let author = name.as_ref().map(|name| format!("name:{name}"));
        let author = author.or_else(|| mark.map(|mark| format!("mark:{mark}")));
        let is_named = name.is_some();
        Self { who: name.unwrap_or_else(|| "planner".to_owned()), author, is_named }
    }

    /// Somebody who signed in.
    pub(super) fn signed_in(account: &Account) -> Self {
        let author = Some(format!("person:{}", account.id));
        Self { who: account.name.clone(), author, is_named: true }
    }

    /// Somebody who followed a link.
    pub(super) fn by_link(link: &GuestLink) -> Self {
        Self { who: link.name.clone(), author: Some(format!("link:{}", link.id)), is_named: true }
    }

    /// Whose a change is that comes from this window: without name and mark, the window's own.
    pub(crate) fn author(&self, client: &str) -> String {
        self.author.clone().unwrap_or_else(|| format!("window:{client}"))
    }

    /// Whether the person is known by a name.
    pub(crate) fn is_named(&self) -> bool {
        self.is_named
    }

    /// Whose changes a page can undo.
    pub(crate) fn known(&self) -> Option<&str> {
        self.author.as_deref()
    }
}

/// Whether a browser has its mark.
pub(crate) fn is_marked(request: &HttpRequest) -> bool {
    request.cookie(MARK).is_some()
}

/// Gives a browser its mark with a page, so that a person without a name keeps what is theirs to
/// undo.
pub(crate) fn mark(response: &mut HttpResponse<impl Sized>) {
    let kind = response.headers().get(CONTENT_TYPE);
    if !kind.is_some_and(|t| t.as_bytes().starts_with(b"text/html")) {
        return;
    }
    let cookie = Cookie::build(MARK, uuid::Uuid::new_v4().to_string())
        .path("/")
        .same_site(SameSite::Strict)
        .http_only(true)
        .max_age(time::Duration::days(365))
        .finish();
    if let Ok(value) = HeaderValue::from_str(&cookie.to_string()) {
        response.headers_mut().append(SET_COOKIE, value);
    }
}
