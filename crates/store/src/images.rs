//! Plan images, kept once by the hash of their bytes.

use rusqlite::{OptionalExtension, named_params};
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
