//! Jobs that a firm keeps no longer.

use dot_reach_store::JobSummary;
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp};

/// Those of some jobs, the last changed first, that nobody changed for so many years; the longest untouched first.
pub(crate) fn due(jobs: Vec<JobSummary>, years: u32, now: Timestamp) -> Vec<JobSummary> {
    if years == 0 {
        return Vec::new();
    }
    let ago = Span::new().years(i64::from(years));
    let oldest = TimeZone::UTC.to_datetime(now).checked_sub(ago);
    let oldest =
        oldest.and_then(|oldest| TimeZone::UTC.to_timestamp(oldest)).unwrap_or(Timestamp::MIN);
    let is_due = |job: &JobSummary| {
        job.changed_at.parse::<Timestamp>().is_ok_and(|changed| changed < oldest)
    };
    jobs.into_iter().rev().filter(is_due).collect()
}
