//! What a request may do. A handler names it by what it takes, or it does not compile: a job or a firm comes in by no other
//! way.

use std::future::Future;
use std::marker::PhantomData;
use std::pin::Pin;

use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest};
use dot_reach_accounts::{FirmRole, LinkScope, SignedIn};

use super::{AskedJob, Caller};
use crate::error::WebError;

/// Something that is done to a job.
pub(crate) trait Access: 'static {
    /// Which roles may do it.
    const ROLES: &'static [FirmRole];
    /// Which links open it.
    const LINKS: &'static [LinkScope];
    /// Whether an electrician may, of a job with a visit on which they are named.
    const IS_FOR_THE_NAMED: bool;
}

use FirmRole::{Electrician, Installer, Owner, Planner, Viewer};

macro_rules! acts {
    ($($(#[$docs:meta])* $name:ident: [$($role:ident),*] [$($scope:ident),*] $named:literal;)*) => {
        $($(#[$docs])*
        #[derive(Debug)]
        pub(crate) struct $name;
        impl Access for $name {
            const ROLES: &'static [FirmRole] = &[$($role),*];
            const LINKS: &'static [LinkScope] = &[$(LinkScope::$scope),*];
            const IS_FOR_THE_NAMED: bool = $named;
        })*
    };
}

// Which roles, which links, and whether an electrician who is named on a visit of the job.
acts! {
    /// Looks at it.
    See: [Owner, Planner, Installer, Viewer] [] false;
    /// Looks at the day and its wiring; an electrician and whoever has a link at their own visits alone.
    Wiring: [Owner, Planner, Installer, Viewer] [Electrician] true;
    /// Comes to it: to the first page of it that is open to them.
    ComeTo: [Owner, Planner, Installer, Viewer] [Client, Electrician, Integrator] true;
    /// Looks at the handover.
    Handover: [Owner, Planner, Installer, Viewer] [Client] false;
    /// Takes it along as a file.
    TakeAlong: [Owner, Planner, Installer, Viewer] [Integrator] false;
    /// Changes its plan.
    Change: [Owner, Planner, Installer] [] false;
    /// Makes and deletes jobs and variants, sets prices, gives links.
    Keep: [Owner, Planner] [] false;
    /// Puts on record what was done on site.
    Day: [Owner, Planner, Installer] [] true;
    /// Puts on record what was measured.
    Prove: [Owner, Planner, Installer] [] false;
    /// Agrees and signs for the house.
    Agree: [Owner, Planner, Installer] [Client] false;
    /// Looks at something that pages of the firm show: a photo, a plan image, the list of jobs.
    Show: [Owner, Planner, Installer, Viewer, Electrician] [Client, Electrician, Integrator] false;
    /// Says who may come in.
    Manage: [Owner] [] false;
}

/// Whether a caller may do it at all; for the named, whether they may to this job.
fn is_open<A: Access>(caller: &Caller, job: Option<&AskedJob>) -> bool {
    if caller.is_here() {
        return true;
    }
    if let Some(link) = caller.link() {
        let is_of = job.is_none_or(|job| job.uid == link.job);
        return is_of && A::LINKS.contains(&link.scope);
    }
    let Some(role) = caller.role() else { return false };
    if role == Electrician && A::IS_FOR_THE_NAMED {
        return job.is_some_and(|job| caller.visits(&job.site).is_none_or(|own| !own.is_empty()));
    }
    A::ROLES.contains(&role)
}

/// A job, for somebody who may do `A` to it, and what they bring along. That is read once they were let in: whoever is not
/// learns nothing of what it should have been.
pub(crate) struct For<A, T = ()>(pub(crate) AskedJob, pub(crate) T, pub(crate) PhantomData<A>);

/// A firm, for somebody who may do `A` in it, and what they bring along.
pub(crate) struct Of<A, T = ()>(pub(crate) Caller, pub(crate) T, pub(crate) PhantomData<A>);

/// Somebody who signed in, about themselves, and what they bring along.
pub(crate) struct Own<T = ()>(pub(crate) SignedIn, pub(crate) Caller, pub(crate) T);

type Let<T> = Pin<Box<dyn Future<Output = Result<T, actix_web::Error>>>>;

impl<A: Access, T: FromRequest + 'static> FromRequest for For<A, T> {
    type Error = actix_web::Error;
    type Future = Let<Self>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let (request, mut payload) = (request.clone(), payload.take());
        Box::pin(async move {
            let job = AskedJob::named(&request).await?;
            if !is_open::<A>(&job.caller, Some(&job)) {
                return Err(WebError::NotYours.into());
            }
            let brought = T::from_request(&request, &mut payload).await.map_err(Into::into)?;
            Ok(Self(job, brought, PhantomData))
        })
    }
}

impl<A: Access, T: FromRequest + 'static> FromRequest for Of<A, T> {
    type Error = actix_web::Error;
    type Future = Let<Self>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let (request, mut payload) = (request.clone(), payload.take());
        Box::pin(async move {
            let caller = Caller::of(&request).await?;
            if !is_open::<A>(&caller, None) {
                return Err(WebError::NotYours.into());
            }
            let brought = T::from_request(&request, &mut payload).await.map_err(Into::into)?;
            Ok(Self(caller, brought, PhantomData))
        })
    }
}

impl<T: FromRequest + 'static> FromRequest for Own<T> {
    type Error = actix_web::Error;
    type Future = Let<Self>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let (request, mut payload) = (request.clone(), payload.take());
        Box::pin(async move {
            let caller = Caller::of(&request).await?;
            let nobody = || {
                if caller.is_here() {
                    WebError::NotFound("page: nobody signs in here")
                } else {
                    WebError::NotYours
                }
            };
            let signed = caller.signed_in().cloned().ok_or_else(nobody)?;
            let brought = T::from_request(&request, &mut payload).await.map_err(Into::into)?;
            Ok(Self(signed, caller, brought))
        })
    }
}

/// A page that is open to everybody: it shows nothing of any firm.
pub(crate) struct Anybody;

impl FromRequest for Anybody {
    type Error = WebError;
    type Future = std::future::Ready<Result<Self, WebError>>;

    fn from_request(_: &HttpRequest, _: &mut Payload) -> Self::Future {
        std::future::ready(Ok(Self))
    }
}
