//! Plan images: PNG and JPEG, opened to the last pixel before they are kept.

use std::io::Cursor;

use image::{ImageFormat, ImageReader, Limits};

/// The largest image file in bytes.
pub const MOST_BYTES: usize = 20 * 1024 * 1024;
/// The most pixels.
pub const MOST_PIXELS: u64 = 40_000_000;

/// An image that can be shown.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CheckedImage {
    /// `image/png` or `image/jpeg`.
    pub media_type: &'static str,
    /// Its width in pixels.
    pub width_px: u32,
    /// Its height in pixels.
    pub height_px: u32,
    /// The file.
    pub bytes: Vec<u8>,
}

/// Why an image was refused.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ImageError {
    /// No bytes.
    #[error("the file is empty; choose a PNG or JPEG of the plan")]
    Empty,
    /// Too many bytes.
    #[error("the file is larger than 20 MB; save the plan smaller")]
    TooLarge,
    /// Neither PNG nor JPEG, whatever its name says.
    #[error(
        "this is neither a PNG nor a JPEG, whatever its name says; save the plan as one of these"
    )]
    NotAnImage,
    /// Too many pixels.
    #[error(
        "the image has {width} × {height} pixels; the most is 40 million: save the plan smaller"
    )]
    TooManyPixels {
        /// Across.
        width: u32,
        /// Down.
        height: u32,
    },
    /// It starts well and then breaks off.
    #[error("the image is damaged and cannot be opened; save it again")]
    Damaged,
}

/// Opens an image and gives it back if it is whole.
///
/// # Errors
/// Why it cannot be a plan.
pub fn check(bytes: Vec<u8>) -> Result<CheckedImage, ImageError> {
    let (media_type, whole) = decoded(&bytes)?;
    let (width_px, height_px) = (whole.width(), whole.height());
    Ok(CheckedImage { media_type, width_px, height_px, bytes })
}

/// The longer side of a photo that is kept, in pixels.
const PHOTO_PX: u32 = 1600;

/// A photo made anew from its pixels, small enough to keep: what a camera writes beside them, such as
/// where it was taken, stays out.
///
/// # Errors
/// As [`check`].
pub fn photo(bytes: &[u8]) -> Result<CheckedImage, ImageError> {
    let (_, mut whole) = decoded(bytes)?;
    if whole.width().max(whole.height()) > PHOTO_PX {
        whole = whole.resize(PHOTO_PX, PHOTO_PX, image::imageops::FilterType::Triangle);
    }
    let whole = whole.into_rgb8();
    let (width_px, height_px) = whole.dimensions();
    let mut bytes = Vec::new();
    let encoder = image::codecs::jpeg::JpegEncoder::new_with_quality(&mut bytes, 82);
    whole.write_with_encoder(encoder).map_err(|_| ImageError::Damaged)?;
    Ok(CheckedImage { media_type: "image/jpeg", width_px, height_px, bytes })
}

fn decoded(bytes: &[u8]) -> Result<(&'static str, image::DynamicImage), ImageError> {
    if bytes.is_empty() {
        return Err(ImageError::Empty);
    }
    if bytes.len() > MOST_BYTES {
        return Err(ImageError::TooLarge);
    }
    let format = image::guess_format(bytes).map_err(|_| ImageError::NotAnImage)?;
    let media_type = match format {
        ImageFormat::Png => "image/png",
        ImageFormat::Jpeg => "image/jpeg",
        _ => return Err(ImageError::NotAnImage),
    };
    let reader = || ImageReader::with_format(Cursor::new(bytes), format);
    // The size stands in the head: a giant is refused before a pixel is read.
    let (width, height) = reader().into_dimensions().map_err(|_| ImageError::Damaged)?;
    if u64::from(width) * u64::from(height) > MOST_PIXELS || width == 0 || height == 0 {
        return Err(ImageError::TooManyPixels { width, height });
    }
    let mut whole = reader();
    let mut limits = Limits::default();
    limits.max_alloc = Some(MOST_PIXELS * 8);
    whole.limits(limits);
    let whole = whole.decode().map_err(|_| ImageError::Damaged)?;
    Ok((media_type, whole))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn png(width: u32, height: u32) -> Vec<u8> {
        let mut bytes = Vec::new();
        image::RgbImage::new(width, height)
            .write_to(&mut Cursor::new(&mut bytes), ImageFormat::Png)
            .unwrap();
        bytes
    }

    #[test]
    fn a_whole_png_is_taken() {
        let image = check(png(30, 20)).unwrap();
        assert_eq!((image.media_type, image.width_px, image.height_px), ("image/png", 30, 20));
    }

    #[test]
    fn a_photo_is_made_small_and_loses_what_stood_beside_its_pixels() {
        let mut bytes = Vec::new();
        image::RgbImage::new(3200, 800)
            .write_to(&mut Cursor::new(&mut bytes), ImageFormat::Jpeg)
            .unwrap();
        // A comment segment right behind the start of the file, as cameras write theirs.
        let said = b"\xFF\xFE\x00\x0Fhere I stood!";
        bytes.splice(2..2, said.iter().copied());
        assert!(bytes.windows(6).any(|w| w == b"here I"));
        let kept = photo(&bytes).unwrap();
        assert_eq!((kept.width_px, kept.height_px), (1600, 400));
        assert!(!kept.bytes.windows(6).any(|w| w == b"here I"));
    }

    #[test]
    fn what_is_no_plan_is_refused_in_words() {
        assert_eq!(check(Vec::new()), Err(ImageError::Empty));
        assert_eq!(check(b"just words".to_vec()), Err(ImageError::NotAnImage));
        let mut half = png(200, 200);
        half.truncate(half.len() / 2);
        assert_eq!(check(half), Err(ImageError::Damaged));
    }

    #[test]
    fn a_hundred_megapixels_are_refused_by_their_head() {
        let mut giant = png(1, 1);
        // Width and height stand at bytes 16 to 24 of a PNG, covered by the checksum after them.
        giant[16..20].copy_from_slice(&10_000u32.to_be_bytes());
        giant[20..24].copy_from_slice(&10_000u32.to_be_bytes());
        let error = check(giant).unwrap_err();
        assert!(matches!(error, ImageError::TooManyPixels { .. } | ImageError::Damaged), "{error}");
    }
}
