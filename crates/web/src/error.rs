//! Failure to HTTP, in one place: a page for people, JSON for scripts.

use std::borrow::Cow;

use actix_web::error::JsonPayloadError;
use actix_web::http::StatusCode;
use actix_web::http::header::ACCEPT;
use actix_web::{HttpRequest, HttpResponse, ResponseError};
use askama::Template;
use dot_reach_accounts::AccountError;
use dot_reach_formats::job_file::JobFileError;
use dot_reach_formats::plan_image::ImageError;
use dot_reach_store::StoreError;
use serde_json::json;

use crate::pages::Shell;

/// What a request can fail by.
#[derive(Debug, thiserror::Error)]
pub(crate) enum WebError {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Image(#[from] ImageError),
    #[error(transparent)]
    JobFile(#[from] JobFileError),
    /// A value that a person typed; the field it belongs to.
    #[error("{reason}")]
    Field { field: Cow<'static, str>, reason: String },
    #[error("there is no such {0}")]
    NotFound(&'static str),
    #[error(transparent)]
    Account(#[from] AccountError),
    #[error("this request does not come from a page of this application")]
    Foreign,
    /// Nobody is signed in, or no longer.
    #[error("sign in first")]
    SignIn,
    /// Somebody is, and may not.
    #[error("your part in this firm does not include this; ask an owner of it")]
    NotYours,
    /// All firms that may be open are in use.
    #[error("too many firms are at work just now; try again in a minute")]
    Full,
    /// Work was broken off, as nobody waits for it.
    #[error("whoever asked for this has left")]
    Left,
    #[error("something broke inside: {0}")]
    Inside(String),
}

impl From<askama::Error> for WebError {
    fn from(error: askama::Error) -> Self {
        Self::Inside(error.to_string())
    }
}

impl WebError {
    pub(crate) fn field(field: &'static str, reason: impl Into<String>) -> Self {
        Self::Field { field: field.into(), reason: reason.into() }
    }

    /// The field that the message belongs beside.
    fn of_field(&self) -> Option<&str> {
        match self {
            Self::Field { field, .. } | Self::Account(AccountError::Field { field, .. }) => {
                Some(field)
            }
            Self::Store(StoreError::Refused(refusal)) => refusal.field(),
            Self::Account(AccountError::Wrong) => Some("password"),
            Self::Image(_) => Some("image"),
            Self::JobFile(_) => Some("file"),
            _ => None,
        }
    }

    /// The message without the name of its field.
    pub(crate) fn message(&self) -> String {
        if let Self::Store(error) = self
            && let Some(trouble) = error.of_disk()
        {
            return trouble.to_owned();
        }
        match self {
            Self::Store(StoreError::Refused(refusal)) => refusal.reason(),
            broken if broken.status_code().is_server_error() && !matches!(broken, Self::Full) => {
                "something broke inside; your work up to the last change is kept".to_owned()
            }
            other => other.to_string(),
        }
    }
}

impl ResponseError for WebError {
    fn status_code(&self) -> StatusCode {
        match self {
            Self::Store(error) => match error {
                StoreError::NoJob(_) => StatusCode::NOT_FOUND,
                StoreError::Refused(_) | StoreError::EditId => StatusCode::UNPROCESSABLE_ENTITY,
                StoreError::Conflict(_) | StoreError::Nothing(_) | StoreError::ManyVariants(_) => {
                    StatusCode::CONFLICT
                }
                StoreError::Closing | StoreError::Busy | StoreError::Stale => {
                    StatusCode::SERVICE_UNAVAILABLE
                }
                _ if error.of_disk().is_some() => StatusCode::SERVICE_UNAVAILABLE,
                _ => StatusCode::INTERNAL_SERVER_ERROR,
            },
            Self::Image(_) | Self::JobFile(_) | Self::Field { .. } => {
                StatusCode::UNPROCESSABLE_ENTITY
            }
            Self::Account(error) => match error {
                AccountError::Field { .. } => StatusCode::UNPROCESSABLE_ENTITY,
                AccountError::Link | AccountError::Nobody => StatusCode::NOT_FOUND,
                AccountError::Wrong => StatusCode::UNAUTHORIZED,
                AccountError::Slowed(_) => StatusCode::TOO_MANY_REQUESTS,
                _ => StatusCode::INTERNAL_SERVER_ERROR,
            },
            Self::NotFound(_) => StatusCode::NOT_FOUND,
            Self::Foreign | Self::NotYours => StatusCode::FORBIDDEN,
            Self::SignIn => StatusCode::UNAUTHORIZED,
            Self::Full | Self::Left => StatusCode::SERVICE_UNAVAILABLE,
            Self::Inside(_) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    fn error_response(&self) -> HttpResponse {
        let status = self.status_code();
        if status.is_server_error() && !matches!(self, Self::Left | Self::Full) {
            tracing::error!(error = %self, "a request failed");
        }
        let mut told = json!({
            "message": self.message(), "field": self.of_field(), "conflict": false,
        });
        if let Self::Store(StoreError::Conflict(conflict)) = self {
            told["conflict"] = true.into();
            told["thing"] = conflict.touch.thing.to_string().into();
            told["field"] = conflict.touch.field.clone().into();
            told["name"] = conflict.name.clone().into();
            told["who"] = conflict.who.clone().into();
            told["at"] = conflict.at.clone().into();
            told["revision"] = conflict.revision.into();
            told["theirs"] = conflict.theirs.clone().unwrap_or_default();
            told["yours"] = conflict.yours.clone().unwrap_or_default();
        }
        HttpResponse::build(status).json(told)
    }
}

/// What is wrong with a body that should be an edit.
pub(crate) fn of_json(error: &JsonPayloadError) -> String {
    match error {
        JsonPayloadError::Overflow { limit }
        | JsonPayloadError::OverflowKnownLength { limit, .. } => {
            format!("is larger than {} kB, the most that one request may hold", limit / 1024)
        }
        other => other.to_string(),
    }
}

/// An address that leads nowhere.
pub(crate) async fn nothing_there() -> Result<HttpResponse, WebError> {
    Err(WebError::NotFound("page"))
}

#[derive(Template)]
#[template(path = "failure.html")]
struct Failure {
    shell: Shell,
    heading: &'static str,
    message: String,
}

/// Whether who asks reads pages rather than JSON.
pub(crate) fn reads_pages(request: &HttpRequest) -> bool {
    let accept = request.headers().get(ACCEPT).and_then(|v| v.to_str().ok()).unwrap_or_default();
    let place = |kind: &str| accept.find(kind).unwrap_or(usize::MAX);
    place("text/html") < place("application/json")
}

/// The page of a failure, for people.
pub(crate) fn page(status: StatusCode, message: &str) -> Option<String> {
    let heading = match status {
        StatusCode::NOT_FOUND => "Nothing is here",
        StatusCode::FORBIDDEN => "Not from here",
        s if s.is_server_error() => "Something broke",
        _ => "That cannot be shown",
    };
    let mut letters = message.chars();
    let first = letters.next().map(|c| c.to_uppercase().collect::<String>()).unwrap_or_default();
    let message = format!("{first}{}.", letters.as_str().trim_end_matches('.'));
    Failure { shell: Shell::plain(heading), heading, message }.render().ok()
}
