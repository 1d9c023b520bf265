//! Failure to HTTP, in one place.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, ResponseError};
use dot_reach_core::site::Refusal;
use dot_reach_formats::job_file::JobFileError;
use dot_reach_formats::plan_image::ImageError;
use dot_reach_store::StoreError;
use serde_json::json;

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
    Field { field: &'static str, reason: String },
    #[error("there is no such {0}")]
    NotFound(&'static str),
    #[error("this request does not come from a page of this application")]
    Foreign,
    #[error("something broke inside: {0}")]
    Inside(String),
}

impl From<askama::Error> for WebError {
    fn from(error: askama::Error) -> Self {
        Self::Inside(error.to_string())
    }
}

impl WebError {
    /// The field that the message belongs beside.
    fn field(&self) -> Option<&'static str> {
        match self {
            Self::Field { field, .. }
            | Self::Store(StoreError::Refused(Refusal::Invalid { field, .. })) => Some(field),
            Self::Image(_) => Some("image"),
            Self::JobFile(_) => Some("file"),
            _ => None,
        }
    }
    /// The message without the name of its field.
    fn message(&self) -> String {
        match self {
            Self::Store(StoreError::Refused(Refusal::Invalid { reason, .. })) => reason.clone(),
            Self::Inside(_)
            | Self::Store(
                StoreError::Database(_) | StoreError::Migration(_) | StoreError::Row(_),
            ) => "something broke inside; your work up to the last change is kept".to_owned(),
            other => other.to_string(),
        }
    }
}

impl ResponseError for WebError {
    fn status_code(&self) -> StatusCode {
        match self {
            Self::Store(error) => match error {
                StoreError::NoJob(_) => StatusCode::NOT_FOUND,
                StoreError::Refused(_) => StatusCode::UNPROCESSABLE_ENTITY,
                StoreError::Conflict(_) | StoreError::Nothing(_) => StatusCode::CONFLICT,
                StoreError::Database(_) | StoreError::Migration(_) | StoreError::Row(_) => {
                    StatusCode::INTERNAL_SERVER_ERROR
                }
                _ => StatusCode::INTERNAL_SERVER_ERROR,
            },
            Self::Image(_) | Self::JobFile(_) | Self::Field { .. } => {
                StatusCode::UNPROCESSABLE_ENTITY
            }
            Self::NotFound(_) => StatusCode::NOT_FOUND,
            Self::Foreign => StatusCode::FORBIDDEN,
            Self::Inside(_) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    fn error_response(&self) -> HttpResponse {
        let status = self.status_code();
        if status.is_server_error() {
            log(&self.to_string());
        }
        let conflict = matches!(self, Self::Store(StoreError::Conflict(_)));
        HttpResponse::build(status).json(json!({
            "message": self.message(), "field": self.field(), "conflict": conflict,
        }))
    }
}

/// What must not go to a page goes to the log.
#[expect(clippy::print_stderr, reason = "the log of a program that runs at a desk is its terminal")]
fn log(text: &str) {
    eprintln!("dot-reach: {text}");
}
