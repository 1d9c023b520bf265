//! Plan images, kept once by the hash of their bytes.

use std::collections::BTreeSet;

use rusqlite::{Connection, OptionalExtension, named_params};
use sha2::{Digest, Sha256};

use crate::{Store, StoreError};

/// A plan image.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Image {
    /// `image/png` or `image/jpeg`.
    pub media_type: String,
    /// Its width in pixels.
    pub width_px: u32,
    /// Its height in pixels.
    pub height_px: u32,
    /// The file.
    pub bytes: Vec<u8>,
}

impl Image {
    /// The SHA-256 of the file in hexadecimal.
    pub fn sha256(&self) -> String {
        use std::fmt::Write;
        Sha256::digest(&self.bytes).iter().fold(String::new(), |mut text, byte| {
            // Writing to a string cannot fail.
            let _infallible = write!(text, "{byte:02x}");
            text
        })
    }
}

/// Takes out the images that nothing names any longer: no plan, no record, and no change that could be undone. Reads
/// every row of all jobs once.
pub(crate) fn free(db: &Connection) -> Result<(), StoreError> {
    let mut all: BTreeSet<String> = db
        .prepare("SELECT sha256 FROM image")?
        .query_map([], |row| row.get(0))?
        .collect::<Result<_, _>>()?;
    for sql in [
        "SELECT body FROM thing",
        "SELECT body FROM entry",
        "SELECT edit FROM journal",
        "SELECT inverse FROM journal",
        "SELECT branched_off FROM job WHERE branched_off IS NOT NULL",
    ] {
        let mut query = db.prepare(sql)?;
        let mut rows = query.query([])?;
        while let Some(row) = rows.next()? {
            let body = row.get_ref(0)?.as_str().unwrap_or_default();
            // A hash stands between quotes.
            body.split('"').filter(|word| word.len() == 64).for_each(|word| {
                all.remove(word);
            });
        }
    }
    for sha in all {
        db.execute("DELETE FROM image WHERE sha256 = ?1", [sha])?;
    }
    Ok(())
}

impl Store {
    /// Keeps an image and gives its hash.
    ///
    /// # Errors
    /// The database fails.
    pub fn keep_image(&self, image: &Image) -> Result<String, StoreError> {
        let (sha, image) = (image.sha256(), image.clone());
        self.writer.write(move |db| {
            db.execute(
                "INSERT INTO image (sha256, media_type, width_px, height_px, bytes)
                 VALUES (:sha, :media, :width, :height, :bytes) ON CONFLICT DO NOTHING",
                named_params! {
                    ":sha": sha, ":media": image.media_type, ":width": image.width_px,
                    ":height": image.height_px, ":bytes": image.bytes,
                },
            )?;
            Ok(sha)
        })
    }

    /// The image with this hash.
    ///
    /// # Errors
    /// The database fails.
    pub fn image(&self, sha: &str) -> Result<Option<Image>, StoreError> {
        self.readers.read(|db| {
            let found = db.query_row(
                "SELECT media_type, width_px, height_px, bytes FROM image WHERE sha256 = ?1",
                [sha],
                |row| {
                    Ok(Image {
                        media_type: row.get("media_type")?,
                        width_px: row.get("width_px")?,
                        height_px: row.get("height_px")?,
                        bytes: row.get("bytes")?,
                    })
                },
            );
            Ok(found.optional()?)
        })
    }
}
