//! Which job.

use std::collections::BTreeSet;
use std::sync::Arc;

use actix_web::{HttpRequest, web};
use dot_reach_core::analysis::{Analysis, Options, weight};
use dot_reach_core::install::schedule::{PlannedVisit, Schedule, schedule_while};
use dot_reach_core::needed::{Needed, needed_now};
use dot_reach_core::prove::diagnose::{Diagnosis, diagnose};
use dot_reach_core::prove::helps::as_learned;
use dot_reach_core::prove::next::{NextReading, next};
use dot_reach_core::prove::{Proof, prove};
use dot_reach_core::record::Record;
use dot_reach_core::site::{DeviceId, Site};
use dot_reach_core::speech::{Lengths, Speech, speaking};
use dot_reach_core::wish::PageRequest;
use dot_reach_store::{JobId, OpenJob, StoreError, Variant};

use super::Caller;
use crate::app::App;
use crate::desk::{Bench, Slot};
use crate::error::WebError;
use crate::pages::Shell;
use crate::pages::house_time::in_house;
use crate::pages::jobs::Standing;
use crate::pages::region;
use crate::work::{Asker, Lane};

/// A job's analysis with what its readings teach.
pub(crate) type Proved = (Arc<Analysis>, Arc<Proof>);

/// The visits of a job with the analysis that they rest on.
pub(crate) type Planned = (Arc<Analysis>, Arc<Schedule>);

/// What a job is by its readings: as it is with what they teach, what differs from the plan, and what to read next.
#[derive(Debug)]
pub(crate) struct Looked {
    pub(crate) learned: Analysis,
    pub(crate) diagnoses: Vec<Diagnosis>,
    pub(crate) next: NextReading,
}

/// Jobs heavier than this take turns with each other: more than a second of work, two guesthouses.
const MOST_BESIDE: u64 = 6_000_000;

/// The job that an address names, as it stands, and who asks for it.
#[derive(Clone)]
pub(crate) struct AskedJob {
    pub(crate) id: JobId,
    /// By what it is known on every machine, and in every link.
    pub(crate) uid: String,
    pub(crate) site: Arc<Site>,
    pub(crate) record: Arc<Record>,
    pub(crate) revision: u64,
    pub(crate) caller: Caller,
    pub(crate) app: web::Data<App>,
    /// What variant it is, if it is one.
    pub(crate) variant: Option<Variant>,
    can_undo: bool,
    can_redo: bool,
    /// How whoever asks wants lengths, where that is not as the job has it.
    lengths: Option<Lengths>,
}

impl AskedJob {
    /// The job that the address of a request names, as it stands.
    pub(super) async fn named(request: &HttpRequest) -> Result<Self, WebError> {
        let named = request.match_info().get("job").unwrap_or_default().to_owned();
        let caller = Caller::of(request).await?;
        let app = caller.app.clone();
        let id: JobId = named.parse()?;
        let (wanted, author) = (id.clone(), caller.person.known().map(str::to_owned));
        let open = move |store: &dot_reach_store::Store| {
            let open = store.open_job(&wanted)?;
            let can = match author {
                Some(author) => store.can_undo_redo(&wanted, &author)?,
                None => (false, false),
            };
            Ok::<_, StoreError>((open, can, store.variant(&wanted)?, store.uid(&wanted)?))
        };
        let (open, (can_undo, can_redo), variant, uid) = app.ask(open).await?;
        let OpenJob { site, record, revision } = open;
        let lengths = region::chosen(request);
        Ok(Self {
            id,
            uid,
            site,
            record,
            revision,
            caller,
            app,
            variant,
            can_undo,
            can_redo,
            lengths,
        })
    }

    /// How who asks wants lengths in every job, where that was said.
    pub(crate) fn lengths(&self) -> Option<Lengths> {
        self.lengths
    }

    /// How the pages of it are said to who asks.
    pub(crate) fn speech(&self) -> Speech {
        let usual = self.site.job.speech();
        Speech { lengths: self.lengths.unwrap_or(usual.lengths), ..usual }
    }

    /// The same job as it stands by now.
    pub(crate) async fn renewed(&self) -> Result<Self, WebError> {
        let id = self.id.clone();
        let open = self.app.ask(move |store| store.open_job(&id)).await?;
        let OpenJob { site, record, revision } = open;
        Ok(Self { site, record, revision, ..self.clone() })
    }

    /// The frame around one of its pages.
    pub(crate) fn shell(&self, word: &'static str) -> Shell {
        Shell::of_job(self, word, (self.can_undo, self.can_redo))
    }

    /// What it needs now.
    pub(crate) fn needed(&self) -> Needed {
        let known = || needed_now(&self.site, &self.record);
        self.app.desk.needed(&self.id, self.revision, known)
    }

    /// The analysis of the job as it stands.
    pub(crate) async fn analysed(&self) -> Result<Arc<Analysis>, WebError> {
        self.at_bench(Options::default(), |bench, job| {
            let analysis = bench.analysis(&job.site, &Options::default())?;
            if job.app.desk.standing(&job.id, job.revision).is_none() {
                let standing = Arc::new(Standing::of(&analysis, job.needed().says));
                job.app.desk.note(&job.id, job.revision, standing);
            }
            Ok(analysis)
        })
        .await
    }

    /// Its visits, planned once a revision and shared by all who ask; of whoever is named on some, those alone.
    pub(crate) async fn planned(&self) -> Result<Planned, WebError> {
        let (analysis, plan) = self.all_planned().await?;
        let Some(own) = self.caller.visits(&self.site) else { return Ok((analysis, plan)) };
        let mut plan = Schedule::clone(&plan);
        plan.visits.retain(|visit| own.contains(&visit.key));
        plan.left_out.clear();
        Ok((analysis, Arc::new(plan)))
    }

    /// Whether whoever asks is named on some visits, and has those alone.
    fn is_for_own_visits(&self) -> bool {
        self.caller.signed_in().is_some() && self.caller.visits(&self.site).is_some()
    }

    /// Refuses what is no part of a visit to whoever has visits alone.
    pub(crate) fn may_wish(&self, wish: &PageRequest) -> Result<(), WebError> {
        if self.is_for_own_visits() && !wish.is_of_a_visit() {
            return Err(WebError::NotYours);
        }
        Ok(())
    }

    /// The devices that whoever is named on some visits tells of; nothing for who may tell of all.
    pub(crate) async fn own_devices(&self) -> Result<Option<BTreeSet<DeviceId>>, WebError> {
        if !self.is_for_own_visits() {
            return Ok(None);
        }
        let (_, plan) = self.planned().await?;
        Ok(Some(plan.visits.iter().flat_map(PlannedVisit::devices).cloned().collect()))
    }

    async fn all_planned(&self) -> Result<Planned, WebError> {
        self.at_bench(Options::default(), |bench, job| {
            if let Some(known) = job.app.desk.days(&job.id, job.revision) {
                return Ok(known);
            }
            let analysis = bench.analysis(&job.site, &Options::default())?;
            let plan = schedule_while(&|| bench.is_wanted(), &analysis, &job.record);
            let planned = (analysis, Arc::new(plan.ok_or(WebError::Left)?));
            job.app.desk.note_days(&job.id, job.revision, planned.clone());
            Ok(planned)
        })
        .await
    }

    /// What its readings teach, learned once a revision and shared by all who ask.
    pub(crate) async fn proved(&self) -> Result<Proved, WebError> {
        let analysis = self.analysed().await?;
        let job = self.clone();
        self.compute(move || {
            if let Some(known) = job.app.desk.proof(&job.id, &job.site, &job.record) {
                return known;
            }
            let proof = Arc::new(prove(&analysis, &job.record));
            let found = (analysis, proof);
            job.app.desk.note_proof(&job.id, found.clone());
            found
        })
        .await
    }

    /// What differs and what to read next, worked out once a revision.
    pub(crate) async fn looked(&self) -> Result<Arc<Looked>, WebError> {
        let (analysis, proof) = self.proved().await?;
        let job = self.clone();
        self.compute(move || {
            if let Some(known) = job.app.desk.looked(&job.id, job.revision) {
                return known;
            }
            let learned = as_learned(&analysis, &proof);
            let next = next(&learned, &proof);
            let diagnoses = diagnose(&analysis, &proof);
            let looked = Arc::new(Looked { learned, diagnoses, next });
            job.app.desk.note_looked(&job.id, job.revision, Arc::clone(&looked));
            looked
        })
        .await
    }

    /// Does heavy work for it, off the request threads and in its turn.
    pub(crate) async fn compute<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, WebError> {
        let (clock, speech) = (self.site.job.clock(), self.speech());
        let said = move || in_house(clock, || speaking(speech, work));
        self.app.work.compute(&self.id, self.lane(), said).await
    }

    /// Words a page of it, off the request threads.
    pub(crate) async fn word<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Result<T, WebError> {
        let (clock, speech) = (self.site.job.clock(), self.speech());
        let said = move || in_house(clock, || speaking(speech, work));
        self.app.work.word(&self.id, self.lane(), said).await
    }

    fn lane(&self) -> Lane {
        if weight(&self.site) > MOST_BESIDE { Lane::Slow } else { Lane::Quick }
    }

    /// Works something out for it, off the request threads, starting from what is known; broken off
    /// when who asks for it leaves.
    pub(crate) async fn at_bench<T: Send + 'static>(
        &self,
        options: Options,
        work: impl FnOnce(&mut Bench, &Self) -> Result<T, WebError> + Send + 'static,
    ) -> Result<T, WebError> {
        let job = self.clone();
        let asker = Asker::default();
        let _stay = asker.stays();
        let at_work = move || {
            let mut bench = job.app.desk.bench(&job.id, &job.site, &options).for_asker(asker);
            let found = work(&mut bench, &job)?;
            job.app.desk.keep(&job.id, Slot::Base(options), bench);
            Ok(found)
        };
        self.compute(at_work).await?
    }
}
