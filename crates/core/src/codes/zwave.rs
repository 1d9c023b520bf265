//! The label of a Z-Wave device: its QR, and the key that is printed beside it.

use std::fmt;

use sha1::{Digest, Sha1};

use super::CodeError;

/// The key of a device: eight groups of five digits, of which the first is its PIN.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Dsk {
    /// The first group, typed at the hub.
    pub pin: u16,
    /// The other seven, where they were read.
    pub rest: Option<[u16; 7]>,
}

impl Dsk {
    /// A key of forty digits, or its first five. It carries no check digit: only that no group is above
    /// 65535 (SDS13937, device specific key).
    pub(super) fn read(bare: &str) -> Result<Self, CodeError> {
        if let Some(sign) = bare.chars().find(|c| !c.is_ascii_digit()) {
            return Err(CodeError::Sign { sign });
        }
        if !matches!(bare.len(), 5 | 40) {
            let wanted = "the key has 40, its PIN the first 5 of them";
            return Err(CodeError::Length { is: bare.len(), wanted });
        }
        let mut groups = Vec::new();
        for place in (0..bare.len()).step_by(5) {
            let group = &bare[place..place + 5];
            let value = group.parse::<u16>();
            groups.push(value.map_err(|_| CodeError::Group { group: group.to_owned() })?);
        }
        let pin = groups[0];
        Ok(Self { pin, rest: groups[1..].try_into().ok() })
    }
}

impl fmt::Display for Dsk {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "PIN {:05}", self.pin)?;
        if let Some(rest) = &self.rest {
            for group in rest {
                write!(f, "-{group:05}")?;
            }
        }
        Ok(())
    }
}

/// What the QR on a label says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ZwaveLabel {
    /// Whether the hub takes it by itself, once it was scanned.
    pub is_scan_ahead: bool,
    /// The keys that it asks for, a bit each.
    pub keys: u8,
    /// Its key.
    pub dsk: Dsk,
    /// Whether it can be joined by the long-range way, where that is said.
    pub long_range: Option<bool>,
}

impl ZwaveLabel {
    /// Digits of a QR (SDS13937): `90`, version in two, checksum in five, keys in three, the key in forty,
    /// then fields of type, length and value. The checksum is the first two bytes of the SHA-1 over all
    /// that follows it.
    pub(super) fn read(digits: &str) -> Result<Self, CodeError> {
        let number =
            |from: usize, to: usize| digits.get(from..to).and_then(|t| t.parse::<u32>().ok());
        let wanted = "the label's QR has at least 52";
        let short = || CodeError::Length { is: digits.len(), wanted };
        let version = number(2, 4).ok_or_else(short)?;
        if version > 1 {
            return Err(CodeError::Impossible { what: "a version that there is not" });
        }
        let told = number(4, 9).ok_or_else(short)?;
        let rest = digits.get(9..).ok_or_else(short)?;
        let sum = Sha1::digest(rest.as_bytes());
        if told != u32::from(sum[0]) << 8 | u32::from(sum[1]) {
            return Err(CodeError::Checksum);
        }
        let keys = number(9, 12).and_then(|k| u8::try_from(k).ok());
        let keys = keys.ok_or(CodeError::Impossible { what: "keys above 255" })?;
        let dsk = Dsk::read(digits.get(12..52).ok_or_else(short)?)?;
        let (mut at, mut long_range) = (52, None);
        while let (Some(kind), Some(length)) = (number(at, at + 2), number(at + 2, at + 4)) {
            let length = usize::try_from(length).unwrap_or(0);
            let value = digits.get(at + 4..at + 4 + length);
            let value = value.ok_or(CodeError::Impossible { what: "a field that is cut off" })?;
            // Type 4 in the upper seven bits: supported protocols, a bit each; bit 1 is long range.
            if kind >> 1 == 4 {
                long_range = value.parse::<u32>().ok().map(|bits| bits & 2 != 0);
            }
            at += 4 + length;
        }
        Ok(Self { is_scan_ahead: version == 1, keys, dsk, long_range })
    }
}

impl fmt::Display for ZwaveLabel {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "PIN {:05}", self.dsk.pin)?;
        f.write_str(if self.is_scan_ahead { ", can be scanned ahead" } else { ", by a press" })
    }
}
