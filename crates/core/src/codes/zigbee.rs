//! The install code of a Zigbee device.

use std::fmt;

use super::CodeError;

/// An install code: 6, 8, 12 or 16 bytes, and a checksum of two.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct InstallCode {
    bytes: Vec<u8>,
}

impl InstallCode {
    /// How many hexadecimal digits there are, the checksum with them. Base Device Behaviour 3.0.1, 10.1.
    pub(super) const LENGTHS: [usize; 4] = [16, 20, 28, 36];

    /// The install code in the text of a label's QR: fields that begin with a sign and a letter, `I` for this one.
    /// Base Device Behaviour 3.0.1, annex on install codes.
    pub(super) fn of_label(text: &str) -> Option<&str> {
        let (_, code) = text.split_once("$I:").or_else(|| text.split_once("%I:"))?;
        let end = code.find(|c: char| !c.is_ascii_alphanumeric()).unwrap_or(code.len());
        Some(&code[..end])
    }

    /// Hexadecimal digits.
    pub(super) fn read(bare: &str) -> Result<Self, CodeError> {
        if let Some(sign) = bare.chars().find(|c| !c.is_ascii_hexdigit()) {
            return Err(CodeError::Sign { sign });
        }
        if !Self::LENGTHS.contains(&bare.len()) {
            let wanted = "an install code has 16, 20, 28 or 36, the last four of them its checksum";
            return Err(CodeError::Length { is: bare.len(), wanted });
        }
        let byte = |at: usize| u8::from_str_radix(&bare[at..at + 2], 16).unwrap_or(0);
        let bytes: Vec<u8> = (0..bare.len()).step_by(2).map(byte).collect();
        let (code, sum) = bytes.split_at(bytes.len() - 2);
        if crc(code).to_le_bytes() != *sum {
            return Err(CodeError::Checksum);
        }
        Ok(Self { bytes: code.to_vec() })
    }

    /// The code without its checksum.
    pub fn bytes(&self) -> &[u8] {
        &self.bytes
    }
}

impl fmt::Display for InstallCode {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} bytes, checksum agrees", self.bytes.len())
    }
}

/// CRC of ITU-T V.42: `x¹⁶ + x¹² + x⁵ + 1`, lowest bit first, begun with and turned by `0xFFFF`.
fn crc(bytes: &[u8]) -> u16 {
    let step = |crc: u16, _| if crc & 1 == 1 { crc >> 1 ^ 0x8408 } else { crc >> 1 };
    !bytes.iter().fold(0xffff, |crc, byte| (0..8).fold(crc ^ u16::from(*byte), step))
}
