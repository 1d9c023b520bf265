//! The native job file: one JSON document a job, with its plan images. Version 2, which knows
//! rooms; files of version 1 are read as they are.

use std::collections::{BTreeMap, BTreeSet};

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use dot_reach_core::pulse::{Pulse, to_the_end};
use dot_reach_core::site::{Site, gather};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

use crate::plan_image::{self, CheckedImage};
use crate::{ImportFinding, Imported};

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
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct JobFile {
    /// Always `dot-reach-job`.
    pub format: String,
    /// The version of the format; version 2 is written, 1 and 2 are read.
    pub version: u32,
    /// The job.
    pub site: Site,
    /// The plan images that storeys name: their files in base64 by the SHA-256 of the file.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub images: BTreeMap<String, String>,
}

/// A job that was read: its site and its plan images by hash.
#[derive(Clone, Debug, PartialEq)]
pub struct ReadJob {
    /// The job.
    pub site: Site,
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
    let file: JobFile = serde_json::from_slice(bytes)?;
    if file.format != FORMAT {
        return Err(JobFileError::Format(file.format));
    }
    if !(OLDEST..=VERSION).contains(&file.version) {
        return Err(JobFileError::Version(file.version));
    }
    let mut findings = Vec::new();
    let Some(images) = read_images(&file, &mut findings, pulse) else { return Ok(None) };
    let Some((site, refused)) = gather(file.site.things()) else {
        return Err(JobFileError::NoJob);
    };
    findings.extend(refused.into_iter().map(|(of, refusal)| ImportFinding {
        place: format!("{} {}", of.kind.called(), of.id),
        reason: refusal.to_string(),
    }));
    Ok(Some(Imported { value: ReadJob { site, images }, findings }))
}

/// The hashes of the images that a job shows: plans under its storeys, and photos.
pub fn images_named(site: &Site) -> BTreeSet<&String> {
    let plans = site.floors.iter().filter_map(|f| Some(&f.underlay.as_ref()?.image));
    let labels = site.join_codes.iter().filter_map(|c| c.image.as_ref());
    plans.chain(site.photos.iter().map(|p| &p.image)).chain(labels).collect()
}

/// The images that storeys and photos name; each must be what its name says, and all together be of a size that
/// can be looked through.
fn read_images(
    file: &JobFile,
    findings: &mut Vec<ImportFinding>,
    pulse: &mut Pulse<'_>,
) -> Option<BTreeMap<String, CheckedImage>> {
    let named = images_named(&file.site);
    let (mut images, mut pixels) = (BTreeMap::new(), 0);
    for (n, (sha, text)) in file.images.iter().enumerate() {
        if pulse(n, file.images.len()).is_break() {
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

/// Writes a job file; images are those that storeys name.
///
/// # Errors
/// Never for a site that the core accepted.
pub fn write(
    site: &Site,
    images: &BTreeMap<String, Vec<u8>>,
) -> Result<Vec<u8>, serde_json::Error> {
    let images = images.iter().map(|(sha, bytes)| (sha.clone(), STANDARD.encode(bytes))).collect();
    let format = FORMAT.to_owned();
    serde_json::to_vec_pretty(&JobFile { format, version: VERSION, site: site.clone(), images })
}

/// The JSON Schema of the job file.
pub fn schema() -> serde_json::Value {
    schemars::schema_for!(JobFile).to_value()
}
