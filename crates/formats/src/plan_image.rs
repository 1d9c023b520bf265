//! Plan images: PNG and JPEG, opened to the last pixel before they are kept.

use std::io::Cursor;
use std::sync::{Mutex, PoisonError};

use image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader, Limits};

/// The largest image file in bytes.
pub const MOST_BYTES: usize = 20 * 1024 * 1024;
/// The most pixels.
pub const MOST_PIXELS: u64 = 40_000_000;
/// The longest side in pixels: a line of a few pixels' height is no picture, and takes far more to make smaller.
pub const LONGEST_PX: u32 = 30_000;
/// Opened, an image may take so many bytes.
const MOST_OPENED_BYTES: u64 = MOST_PIXELS * 8;
/// One image is opened at a time, so that many together take no more than one.
static OPENING: Mutex<()> = Mutex::new(());

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
    /// A side is too long.
    #[error(
        "the image has {width} × {height} pixels; 30,000 is the most for a side: save the plan smaller"
    )]
    TooLong {
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
    let _one = OPENING.lock().unwrap_or_else(PoisonError::into_inner);
    let (media_type, whole) = opened(&bytes)?;
    let (width_px, height_px) = (whole.width(), whole.height());
    Ok(CheckedImage { media_type, width_px, height_px, bytes })
}

/// The longer side of a photo that is kept, in pixels.
const PHOTO_PX: u32 = 1600;

/// A photo made anew from its pixels, upright and small enough to keep: what a camera writes beside them, such as
/// where it was taken, stays out.
///
/// # Errors
/// As [`check`].
pub fn photo(bytes: &[u8]) -> Result<CheckedImage, ImageError> {
    let _one = OPENING.lock().unwrap_or_else(PoisonError::into_inner);
    let (_, mut whole) = opened(bytes)?;
    // By whole pixels first: a fine step from a giant would take more room than the giant.
    if whole.width().max(whole.height()) > 4 * PHOTO_PX {
        whole = whole.thumbnail(2 * PHOTO_PX, 2 * PHOTO_PX);
    }
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

/// The pixels of an image, turned as its camera was held.
fn opened(bytes: &[u8]) -> Result<(&'static str, DynamicImage), ImageError> {
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
    if width.max(height) > LONGEST_PX {
        return Err(ImageError::TooLong { width, height });
    }
    let mut whole = reader();
    let mut limits = Limits::default();
    limits.max_alloc = Some(MOST_OPENED_BYTES);
    whole.limits(limits);
    let mut decoder = whole.into_decoder().map_err(|_| ImageError::Damaged)?;
    let turned = decoder.orientation().map_err(|_| ImageError::Damaged)?;
    let mut whole = DynamicImage::from_decoder(decoder).map_err(|_| ImageError::Damaged)?;
    whole.apply_orientation(turned);
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

    #[test]
    fn a_line_of_a_few_pixels_height_is_refused_before_it_is_opened() {
        let long = png(LONGEST_PX + 1, 1);
        assert!(matches!(photo(&long), Err(ImageError::TooLong { .. })));
        assert!(check(png(LONGEST_PX, 1)).is_ok());
    }

    #[test]
    fn a_photo_of_a_camera_that_was_held_upright_is_kept_upright_and_says_no_more() {
        let mut plain = Vec::new();
        image::RgbImage::new(30, 20)
            .write_to(&mut Cursor::new(&mut plain), ImageFormat::Jpeg)
            .unwrap();
        // By Exif: one entry, orientation 6, which is a quarter turn.
        let exif = b"Exif\0\0MM\0\x2a\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0";
        let length = u16::try_from(exif.len() + 2).unwrap().to_be_bytes();
        let told = [&plain[..2], b"\xff\xe1", &length, exif, &plain[2..]].concat();
        let kept = photo(&told).unwrap();
        assert_eq!((kept.width_px, kept.height_px), (20, 30));
        assert!(!kept.bytes.windows(4).any(|w| w == b"Exif"));
    }
}
