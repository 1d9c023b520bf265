//! What a request may do to a job. A handler names it by what it takes, or it does not compile: a job comes in by
//! no other way.

use std::future::Future;
use std::marker::PhantomData;
use std::pin::Pin;

use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest};

use super::{AskedJob, Visitor};
use crate::error::WebError;

/// Something that is done to a job.
pub(crate) trait Access: 'static {
    /// Whether a caller may do it.
    fn is_open_to(caller: &Caller) -> bool;
}

/// Who asks, and by which way they came in.
#[derive(Clone, Debug)]
pub(crate) struct Caller {
    pub(crate) person: Visitor,
    via: Via,
}

/// How somebody came in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Via {
    /// At this machine, where nobody signs in: the planner, who may do everything. The server listens nowhere else.
    Here,
}

impl Caller {
    pub(super) fn of(person: Visitor) -> Self {
        Self { person, via: Via::Here }
    }
}

macro_rules! acts {
    ($($(#[$docs:meta])* $name:ident;)*) => {
        $($(#[$docs])*
        #[derive(Debug)]
        pub(crate) struct $name;
        impl Access for $name {
            fn is_open_to(caller: &Caller) -> bool {
                caller.via == Via::Here
            }
        })*
    };
}

acts! {
    /// Reads it.
    See;
    /// Changes its plan.
    Change;
    /// Puts on record what was done on site.
    Day;
    /// Puts on record what was measured.
    Prove;
}

/// A job, for somebody who may do `A` to it.
pub(crate) struct For<A>(pub(crate) AskedJob, pub(crate) PhantomData<A>);

impl<A: Access> FromRequest for For<A> {
    type Error = WebError;
    type Future = Pin<Box<dyn Future<Output = Result<Self, WebError>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let job = AskedJob::named(request, payload);
        Box::pin(async move {
            let job = job.await?;
            if A::is_open_to(&job.caller) {
                Ok(Self(job, PhantomData))
            } else {
                Err(WebError::Foreign)
            }
        })
    }
}
