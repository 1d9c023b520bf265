//! The native job file: one JSON document a job: its plan, its record, its images. Version 2, which knows
//! rooms; files of version 1 are read as they are.

use std::collections::{BTreeMap, BTreeSet};

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use dot_reach_core::moment::Moment;
use dot_reach_core::pulse::{Pulse, to_the_end};
use dot_reach_core::record::{Entry, Record, Said, Sender, Telling};
use dot_reach_core::site::{Site, gather};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use sha2::{Digest, Sha256};

use crate::plan_image::{self, CheckedImage};
use crate::{ImportFinding, Imported, budget};

/// The largest job file in bytes, images included.
pub const MOST_BYTES: usize = 256 * 1024 * 1024;
/// The most images in a job file: all photos that a job may hold, and two plans a storey.
pub const MOST_IMAGES: usize = 1_900;
/// The most pixels of all of them together: each is decoded once to be checked.
pub const MOST_PIXELS: u64 = 3_000_000_000;
/// The word that a job file opens with.
pub const FORMAT: &str = "dot-reach-job";
/// The version that is written.
pub const VERSION: u32 = 2;
/// The oldest version that is read.
pub const OLDEST: u32 = 1;

/// A job file.
#[derive(Clone, Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct JobFile {
    /// Always `dot-reach-job`.
    pub format: String,
    /// The version of the format; version 2 is written, 1 and 2 are read.
    pub version: u32,
    /// By what the job is known on every machine; none for one that was written by hand.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<String>,
    /// The plan.
    pub site: Site,
    /// What happened, in order.
    #[serde(default, skip_serializing_if = "Record::is_empty")]
    pub record: Record,
    /// The plan images that storeys name: their files in base64 by the SHA-256 of the file.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub images: BTreeMap<String, String>,
}

/// The same before it is held to the rules.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Raw {
    format: String,
    version: u32,
    #[serde(default)]
    id: Option<String>,
    site: Map<String, Value>,
    #[serde(default)]
    record: Vec<Value>,
    #[serde(default)]
    images: BTreeMap<String, String>,
}

/// A job that was read, with its images by hash.
#[derive(Clone, Debug, PartialEq)]
pub struct ReadJob {
    /// By what it is known on every machine, where it is.
    pub id: Option<String>,
    /// Its plan.
    pub site: Site,
    /// What happened.
    pub record: Record,
    /// Its images.
    pub images: BTreeMap<String, CheckedImage>,
}

/// Why a job file was refused.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum JobFileError {
    /// The file is empty.
    #[error("the file is empty; choose a job file that was exported from here")]
    Empty,
    /// The file is too large.
    #[error("the file has {0} bytes; a job file has at most {MOST_BYTES}")]
    TooLarge(usize),
    /// The file unfolds to more than any job.
    #[error(
        "the file holds more than {} values, more than any job; write it once more from the job itself",
        budget::MOST_VALUES
    )]
    TooMany,
    /// The text is no job file.
    #[error(
        "this is no job file that was written here; choose the one that “Job file” on the handover \
         gives. What could not be read: {0}"
    )]
    Json(#[from] serde_json::Error),
    /// Some other JSON.
    #[error(
        "this file is of the kind “{0}”, not {FORMAT}; choose the one that “Job file” on the handover gives"
    )]
    Format(String),
    /// A job without its own fields.
    #[error("this job file holds no job; write it once more from the job itself")]
    NoJob,
    /// Written by a newer program.
    #[error("this job file has version {0}; this program reads versions {OLDEST} to {VERSION}")]
    Version(u32),
}

/// Reads a job file. Each thing is put in through the same door as an edit, so that nothing wrong
/// comes in; what is refused is a finding.
///
/// # Errors
/// The file as a whole cannot be read.
pub fn read(bytes: &[u8]) -> Result<Imported<ReadJob>, JobFileError> {
    let read = read_while(bytes, &mut to_the_end)?;
    read.map_or_else(|| unreachable!("nobody breaks it off"), Ok)
}

/// The same as long as `pulse`, told of each image, does not break it off; nothing once it does.
///
/// # Errors
/// As [`read`].
pub fn read_while(
    bytes: &[u8],
    pulse: &mut Pulse<'_>,
) -> Result<Option<Imported<ReadJob>>, JobFileError> {
    if bytes.is_empty() {
        return Err(JobFileError::Empty);
    }
    if bytes.len() > MOST_BYTES {
        return Err(JobFileError::TooLarge(bytes.len()));
    }
    let bytes = bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(bytes);
    if budget::is_over(bytes) {
        return Err(JobFileError::TooMany);
    }
    let mut file: Raw = serde_json::from_slice(bytes)?;
    if file.format != FORMAT {
        return Err(JobFileError::Format(file.format));
    }
    if !(OLDEST..=VERSION).contains(&file.version) {
        return Err(JobFileError::Version(file.version));
    }
    let mut findings = Vec::new();
    let told = told_beside(&mut file.site);
    let whole: Site = serde_json::from_value(Value::Object(file.site))?;
    let Some((site, refused)) = gather(whole.things()) else {
        return Err(JobFileError::NoJob);
    };
    findings.extend(refused.into_iter().map(|(of, refusal)| ImportFinding {
        place: format!("{} {}", of.kind.called(), of.id),
        reason: refusal.to_string(),
    }));
    let mut record = read_record(file.record, &mut findings);
    for (kind, value) in told {
        tell(&site, &mut record, &kind, value, &mut findings);
    }
    let named = images_named(&site, &record);
    let Some(images) = read_images(&file.images, &named, &mut findings, pulse) else {
        return Ok(None);
    };
    let id = file.id.filter(|id| (1..=64).contains(&id.len()));
    Ok(Some(Imported { value: ReadJob { id, site, record, images }, findings }))
}

/// The entries of a record; one that cannot stand is told and left out.
fn read_record(entries: Vec<Value>, findings: &mut Vec<ImportFinding>) -> Record {
    let mut record = Record::default();
    for (n, value) in entries.into_iter().enumerate() {
        let read = serde_json::from_value::<Entry>(value).map_err(|e| e.to_string());
        let said = read.and_then(|entry| record.say(entry).map_err(|e| e.to_string()));
        if let Err(reason) = said {
            findings
                .push(ImportFinding { place: format!("entry {} of the record", n + 1), reason });
        }
    }
    record
}

/// What a file written by hand tells beside the plan, by the words of its kinds: readings, tests, reports. It is
/// taken out of the plan, which holds none of it.
fn told_beside(site: &mut Map<String, Value>) -> Vec<(String, Value)> {
    let kinds = Said::KINDS.into_iter().chain(Said::BY_ACT);
    let of = |kind: &str| match kind {
        "sign-off" => "sign_offs".to_owned(),
        "offer-signed" => "offers_signed".to_owned(),
        other => format!("{}s", other.replace('-', "_")),
    };
    let rows = kinds.flat_map(|kind| {
        let all = site.remove(&of(kind)).and_then(|v| v.as_array().cloned()).unwrap_or_default();
        all.into_iter().map(move |value| (kind.to_owned(), value))
    });
    rows.collect()
}

fn tell(
    site: &Site,
    record: &mut Record,
    kind: &str,
    value: Value,
    findings: &mut Vec<ImportFinding>,
) {
    let text = |field: &str| value[field].as_str().unwrap_or_default().to_owned();
    let (id, source, by) = (text("id"), text("source"), text("by"));
    let at = Moment::read(&text("at")).unwrap_or_else(|_| Moment::first());
    let by = [by, source].into_iter().find(|t| !t.trim().is_empty());
    let name = by.unwrap_or_else(|| "job file".to_owned());
    let caller = Sender { name, taken: at, stem: format!("{kind}.{id}") };
    let said = Said::So { kind: kind.to_owned(), value };
    let told = said.entry(site, record).and_then(|(what, corrects)| {
        let telling = Telling { corrects, ..Telling::new(what, None, None) };
        caller.entries(site, [telling]).into_iter().try_for_each(|entry| record.say(entry))
    });
    if let Err(refusal) = told {
        findings.push(ImportFinding { place: format!("{kind} {id}"), reason: refusal.to_string() });
    }
}

/// The hashes of the images that a job shows: plans under its storeys, photos, labels of codes.
pub fn images_named<'a>(site: &'a Site, record: &'a Record) -> BTreeSet<&'a String> {
    let plans = site.floors.iter().filter_map(|f| Some(&f.underlay.as_ref()?.image));
    let labels = record.join_codes.iter().filter_map(|c| c.image.as_ref());
    plans.chain(site.photos.iter().map(|p| &p.image)).chain(labels).collect()
}

/// The images that storeys and photos name; each must be what its name says, and all together be of a size that
/// can be looked through.
fn read_images(
    all: &BTreeMap<String, String>,
    named: &BTreeSet<&String>,
    findings: &mut Vec<ImportFinding>,
    pulse: &mut Pulse<'_>,
) -> Option<BTreeMap<String, CheckedImage>> {
    let (mut images, mut pixels) = (BTreeMap::new(), 0);
    for (n, (sha, text)) in all.iter().enumerate() {
        if pulse(n, all.len()).is_break() {
            return None;
        }
        let image = match (named.contains(sha), n < MOST_IMAGES && pixels < MOST_PIXELS) {
            (false, _) => Err("no storey or photo shows it".to_owned()),
            (true, false) => Err(format!(
                "a job file holds at most {MOST_IMAGES} images of {} million pixels together",
                MOST_PIXELS / 1_000_000
            )),
            (true, true) => read_image(sha, text),
        };
        match image {
            Ok(image) => {
                pixels += u64::from(image.width_px) * u64::from(image.height_px);
                images.insert(sha.clone(), image);
            }
            Err(reason) => findings.push(ImportFinding { place: format!("image {sha}"), reason }),
        }
    }
    Some(images)
}

fn read_image(sha: &str, text: &str) -> Result<CheckedImage, String> {
    let bytes = STANDARD.decode(text).map_err(|e| e.to_string())?;
    let hash = Sha256::digest(&bytes);
    if !hash.iter().map(|byte| format!("{byte:02x}")).eq(pairs(sha)) {
        return Err("is not the file that its hash names".to_owned());
    }
    plan_image::check(bytes).map_err(|e| e.to_string())
}

/// The two-letter parts of a hash.
fn pairs(sha: &str) -> impl Iterator<Item = String> {
    sha.as_bytes().chunks(2).map(|pair| String::from_utf8_lossy(pair).into_owned())
}

/// Writes a job file; images are those that the job shows.
///
/// # Errors
/// Never for a job that the core accepted.
pub fn write(
    id: Option<&str>,
    site: &Site,
    record: &Record,
    images: &BTreeMap<String, Vec<u8>>,
) -> Result<Vec<u8>, serde_json::Error> {
    let images = images.iter().map(|(sha, bytes)| (sha.clone(), STANDARD.encode(bytes))).collect();
    serde_json::to_vec_pretty(&JobFile {
        format: FORMAT.to_owned(),
        version: VERSION,
        id: id.map(str::to_owned),
        site: site.clone(),
        record: record.clone(),
        images,
    })
}

/// The JSON Schema of the job file.
pub fn schema() -> Value {
    schemars::schema_for!(JobFile).to_value()
}
