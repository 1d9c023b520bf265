//! The native job file: one JSON document a job, with its plan images. Version 1.

use std::collections::BTreeMap;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use dot_reach_core::site::{Edit, Site, apply};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::plan_image::{self, CheckedImage};
use crate::{ImportFinding, Imported};

/// The largest job file in bytes, images included.
pub const MOST_BYTES: usize = 64 * 1024 * 1024;
/// The word that a job file opens with.
pub const FORMAT: &str = "dot-reach-job";
/// The version that is written.
pub const VERSION: u32 = 1;

/// A job file.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct JobFile {
    /// Always `dot-reach-job`.
    pub format: String,
    /// The version of the format; this is version 1.
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
    #[error("this is not a job file: {0}")]
    Json(#[from] serde_json::Error),
    /// Some other JSON.
    #[error("this JSON file is of the kind “{0}”, not {FORMAT}")]
    Format(String),
    /// Written by a newer program.
    #[error("this job file has version {0}; this program reads version {VERSION}")]
    Version(u32),
}

/// Reads a job file. Each thing is put in through the same door as an edit, so that nothing wrong
/// comes in; what is refused is a finding.
///
/// # Errors
/// The file as a whole cannot be read.
pub fn read(bytes: &[u8]) -> Result<Imported<ReadJob>, JobFileError> {
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
    if file.version != VERSION {
        return Err(JobFileError::Version(file.version));
    }
    let mut findings = Vec::new();
    let images = read_images(&file.images, &mut findings);
    let site = rebuilt(&file.site, &mut findings);
    Ok(Imported { value: ReadJob { site, images }, findings })
}

fn read_images(
    texts: &BTreeMap<String, String>,
    findings: &mut Vec<ImportFinding>,
) -> BTreeMap<String, CheckedImage> {
    let mut images = BTreeMap::new();
    for (sha, text) in texts {
        let image = STANDARD
            .decode(text)
            .map_err(|e| e.to_string())
            .and_then(|bytes| plan_image::check(bytes).map_err(|e| e.to_string()));
        match image {
            Ok(image) => {
                images.insert(sha.clone(), image);
            }
            Err(reason) => findings.push(ImportFinding { place: format!("image {sha}"), reason }),
        }
    }
    images
}

/// The same site, each thing put in as an edit.
fn rebuilt(from: &Site, findings: &mut Vec<ImportFinding>) -> Site {
    let mut site = Site::new(&from.job.name, from.job.region, from.job.confidence);
    let mut put = |place: String, edit: Edit| {
        if let Err(refusal) = apply(&mut site, &edit) {
            findings.push(ImportFinding { place, reason: refusal.to_string() });
        }
    };
    put("job".to_owned(), Edit::SetJob { job: from.job.clone() });
    macro_rules! table {
        ($word:literal, $field:ident, $edit:ident, $thing:ident) => {
            for thing in &from.$field {
                let place = format!("{} {}", $word, thing.id);
                put(place, Edit::$edit { $thing: thing.clone() });
            }
        };
    }
    // Each after what it refers to.
    table!("storey", floors, PutFloor, floor);
    table!("construction", constructions, PutConstruction, construction);
    table!("wall", walls, PutWall, wall);
    table!("slab", slabs, PutSlab, slab);
    table!("point", points, PutPoint, point);
    table!("network", networks, PutNetwork, network);
    table!("device", devices, PutDevice, device);
    table!("reading", readings, PutReading, reading);
    table!("emitter", emitters, PutEmitter, emitter);
    table!("scan", scans, PutScan, scan);
    table!("control", controls, PutControl, control);
    put("calibration".to_owned(), Edit::SetCalibration { calibration: from.calibration.clone() });
    site
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
