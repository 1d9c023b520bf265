//! Who forwards, which links there are, which way a message goes, and what is lost without whom.

pub mod air;
pub mod analysed;
pub mod capacity;
pub mod judge;
pub mod link;
pub mod obstacles;
pub mod outcome;
pub mod resilience;
pub mod role;
pub mod route;
pub mod ways;

pub use analysed::{Ground, Mesh, NetworkAnalysis};
pub use link::{Link, Links, Node};
pub use outcome::{Band, Hop, Outcome, Reason};
pub use role::{Role, RoleFinding, RoleReason};
