//! Plan images: PNG and JPEG, opened to the last pixel before they are kept.

use std::io::Cursor;
use std::sync::{Mutex, PoisonError};

use image::metadata::Orientation;
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
    let Opened { media_type, whole, .. } = opened(&bytes)?;
    let (width_px, height_px) = (whole.width(), whole.height());
    Ok(CheckedImage { media_type, width_px, height_px, bytes })
}

/// A plan image as it is kept: its pixels as they came, upright, without what a camera or a program wrote beside
/// them, such as where it was taken.
///
/// # Errors
/// As [`check`].
pub fn plan(bytes: &[u8]) -> Result<CheckedImage, ImageError> {
    let _one = OPENING.lock().unwrap_or_else(PoisonError::into_inner);
    let Opened { media_type, whole, is_turned } = opened(bytes)?;
    let (width_px, height_px) = (whole.width(), whole.height());
    let bytes = match (media_type, is_turned) {
        ("image/png", false) => bare_png(bytes),
        (_, false) => bare_jpeg(bytes),
        (_, true) => {
            let mut anew = Vec::new();
            let format =
                if media_type == "image/png" { ImageFormat::Png } else { ImageFormat::Jpeg };
            let written = whole.write_to(&mut Cursor::new(&mut anew), format);
            written.map_err(|_| ImageError::Damaged)?;
            anew
        }
    };
    Ok(CheckedImage { media_type, width_px, height_px, bytes })
}

/// A JPEG without the segments that tell of its picture (APP1 to APP15 but for the colours of APP2 and APP14, and
/// comments): ISO/IEC 10918-1, B.1.1.4.
fn bare_jpeg(bytes: &[u8]) -> Vec<u8> {
    let mut kept = bytes[..2.min(bytes.len())].to_vec();
    let mut at = kept.len();
    while let Some([0xff, marker, high, low]) = bytes.get(at..at + 4) {
        let end = at + 2 + usize::from(u16::from_be_bytes([*high, *low]));
        let tells = matches!(marker, 0xe1 | 0xe3..=0xed | 0xef | 0xfe);
        // Behind the start of the scan stand the pixels.
        if *marker == 0xda || end > bytes.len() {
            break;
        }
        if !tells {
            kept.extend_from_slice(&bytes[at..end]);
        }
        at = end;
    }
    kept.extend_from_slice(&bytes[at.min(bytes.len())..]);
    kept
}

/// A PNG of the chunks that its pixels and colours need: ISO/IEC 15948, 5.3 and 11.3.
fn bare_png(bytes: &[u8]) -> Vec<u8> {
    const NEEDED: [&[u8; 4]; 12] = [
        b"IHDR", b"PLTE", b"IDAT", b"IEND", b"tRNS", b"gAMA", b"cHRM", b"sRGB", b"iCCP", b"sBIT",
        b"bKGD", b"pHYs",
    ];
    let mut kept = bytes[..8.min(bytes.len())].to_vec();
    let mut at = kept.len();
    while let Some(head) = bytes.get(at..at + 8) {
        let length = u32::from_be_bytes([head[0], head[1], head[2], head[3]]);
        let end =
            at.saturating_add(12).saturating_add(usize::try_from(length).unwrap_or(usize::MAX));
        let Some(chunk) = bytes.get(at..end) else { break };
        if NEEDED.iter().any(|name| name[..] == head[4..]) {
            kept.extend_from_slice(chunk);
        }
        at = end;
    }
    kept
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
    let Opened { mut whole, .. } = opened(bytes)?;
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
struct Opened {
    media_type: &'static str,
    whole: DynamicImage,
    is_turned: bool,
}

fn opened(bytes: &[u8]) -> Result<Opened, ImageError> {
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
    Ok(Opened { media_type, whole, is_turned: turned != Orientation::NoTransforms })
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
        for kept in [photo(&told).unwrap(), plan(&told).unwrap()] {
            assert_eq!((kept.width_px, kept.height_px), (20, 30));
            assert!(!kept.bytes.windows(4).any(|w| w == b"Exif"));
        }
        // One that was held level keeps its pixels to the byte, and says no more.
        let level = told.iter().copied();
        let level: Vec<u8> = level.enumerate().map(|(n, b)| if n == 31 { 1 } else { b }).collect();
        assert_eq!(level[31], 1);
        let kept = plan(&level).unwrap();
        assert_eq!(kept.bytes, plan(&plain).unwrap().bytes);
        assert!(!kept.bytes.windows(4).any(|w| w == b"Exif"));
    }

    #[test]
    fn a_plan_that_is_a_png_keeps_what_its_pixels_need_and_no_more() {
        let plain = png(30, 20);
        let said = b"Comment\0here I stood";
        let length = u32::try_from(said.len()).unwrap().to_be_bytes();
        // The check sum of a chunk that is left out is not looked at.
        let chunk = [&length[..], b"tEXt", said, &[0; 4]].concat();
        let mut told = plain.clone();
        told.splice(33..33, chunk);
        assert!(told.windows(6).any(|w| w == b"here I"));
        match plan(&told) {
            Ok(kept) => assert_eq!(kept.bytes, plan(&plain).unwrap().bytes),
            Err(why) => assert_eq!(why, ImageError::Damaged),
        }
        assert_eq!(bare_png(&told), bare_png(&plain));
        assert_eq!(check(bare_png(&plain)).unwrap().width_px, 30);
    }
}
