//! Codes by which devices are joined: read, and held against what they carry to check themselves. The formats
//! are open: the onboarding payload of Matter, the label of Z-Wave, the install code of Zigbee.

mod matter;
mod zigbee;
mod zwave;

use std::fmt;

use crate::radio::system::System;

pub use matter::Matter;
pub use zigbee::InstallCode;
pub use zwave::{Dsk, ZwaveLabel};

/// What a code says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Code {
    /// Of a device that joins by Matter.
    Matter(Matter),
    /// The label of a Z-Wave device, as its QR carries it.
    ZWave(ZwaveLabel),
    /// The key on the label of a Z-Wave device, or its first five digits.
    Dsk(Dsk),
    /// The install code of a Zigbee device.
    Zigbee(InstallCode),
    /// A text of a system that has no format of its own.
    Text(String),
}

impl Code {
    /// What it is called.
    pub fn name(&self) -> &'static str {
        match self {
            Self::Matter(m) if m.is_manual => "Matter, manual code",
            Self::Matter(_) => "Matter, QR",
            Self::ZWave(_) => "Z-Wave, QR",
            Self::Dsk(d) if d.rest.is_some() => "Z-Wave, device key",
            Self::Dsk(_) => "Z-Wave, PIN",
            Self::Zigbee(_) => "Zigbee, install code",
            Self::Text(_) => "text",
        }
    }

    /// Whether two codes can only be of one device. The first digits of a key alone can be those of another.
    pub fn is_of(&self, other: &Self) -> bool {
        let key = |code: &Self| match code {
            Self::ZWave(label) => label.dsk.rest.map(|rest| (label.dsk.pin, rest)),
            Self::Dsk(dsk) => dsk.rest.map(|rest| (dsk.pin, rest)),
            _ => None,
        };
        match (self, other) {
            (Self::Matter(one), Self::Matter(other)) => one.agrees(other),
            (Self::Zigbee(one), Self::Zigbee(other)) => one == other,
            (Self::Text(one), Self::Text(other)) => one == other,
            _ => key(self).is_some() && key(self) == key(other),
        }
    }

    /// Whether a digit that was read wrong would be seen.
    pub fn checks_itself(&self) -> bool {
        match self {
            Self::Matter(m) => m.is_manual,
            Self::ZWave(_) | Self::Zigbee(_) => true,
            Self::Dsk(_) | Self::Text(_) => false,
        }
    }
}

impl fmt::Display for Code {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Matter(m) => m.fmt(f),
            Self::ZWave(label) => label.fmt(f),
            Self::Dsk(dsk) => dsk.fmt(f),
            Self::Zigbee(code) => code.fmt(f),
            Self::Text(text) => f.write_str(text),
        }
    }
}

/// Why a text is no code.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[expect(missing_docs, reason = "each says in its words what it holds")]
pub enum CodeError {
    #[error("holds “{sign}”, which such a code never does; read it again")]
    Sign { sign: char },
    #[error("has {is} digits; {wanted}")]
    Length { is: usize, wanted: &'static str },
    #[error("does not agree with its check digit: one digit was read wrong, or two changed places")]
    CheckDigit,
    #[error("does not agree with its checksum: something was read wrong")]
    Checksum,
    #[error("the group {group} is above 65535; read it again")]
    Group { group: String },
    #[error("says {what}, which no device says; read it again")]
    Impossible { what: &'static str },
    #[error("is a code of {is}, and this device is of {wanted}")]
    Other { is: &'static str, wanted: &'static str },
    #[error("is empty")]
    Empty,
    #[error("is too long for a code")]
    TooLong,
}

/// The longest text that is looked at.
const LONGEST: usize = 512;

/// Reads a code as it is typed or scanned; `system` says which a device could have, where that is known.
///
/// # Errors
/// It is none, or does not agree with what it carries to check itself.
pub fn parse(text: &str, system: Option<System>) -> Result<Code, CodeError> {
    let text = text.trim();
    if text.is_empty() {
        return Err(CodeError::Empty);
    }
    if text.len() > LONGEST {
        return Err(CodeError::TooLong);
    }
    let read = read(text, system)?;
    let is = match &read {
        Code::Matter(_) => "Matter",
        Code::ZWave(_) | Code::Dsk(_) => "Z-Wave",
        Code::Zigbee(_) => "Zigbee",
        Code::Text(_) => return Ok(read),
    };
    match system {
        Some(System::ZWave | System::ZWaveLr) if is != "Z-Wave" => {
            Err(CodeError::Other { is, wanted: "Z-Wave" })
        }
        // A kit joins as Zigbee does, and a Zigbee device may also speak Matter through its hub.
        Some(System::Zigbee | System::Kit) if is == "Z-Wave" => {
            Err(CodeError::Other { is, wanted: "Zigbee" })
        }
        Some(System::Thread) if is != "Matter" => Err(CodeError::Other { is, wanted: "Matter" }),
        _ => Ok(read),
    }
}

fn read(text: &str, system: Option<System>) -> Result<Code, CodeError> {
    if let Some(payload) = text.strip_prefix("MT:").or_else(|| text.strip_prefix("mt:")) {
        return Matter::of_qr(&payload.to_uppercase()).map(Code::Matter);
    }
    let bare: String = text.chars().filter(|c| !matches!(c, ' ' | '-' | '.' | ':')).collect();
    let digits = bare.bytes().all(|b| b.is_ascii_digit());
    let hex = bare.bytes().all(|b| b.is_ascii_hexdigit());
    let is_zwave = matches!(system, Some(System::ZWave | System::ZWaveLr));
    if let Some(code) = InstallCode::of_label(text) {
        return InstallCode::read(code).map(Code::Zigbee);
    }
    // Such a device has an install code, or one of Matter; its label may say nothing, and then a photo tells that.
    let is_matter = digits && matches!(bare.len(), 11 | 21);
    if system == Some(System::Zigbee) && !is_matter || system == Some(System::Kit) && hex {
        return InstallCode::read(&bare).map(Code::Zigbee);
    }
    if digits && bare.len() >= 52 && bare.starts_with("90") {
        return ZwaveLabel::read(&bare).map(Code::ZWave);
    }
    if digits && matches!(bare.len(), 5 | 40) || is_zwave {
        return Dsk::read(&bare).map(Code::Dsk);
    }
    if digits && matches!(bare.len(), 11 | 21) || system == Some(System::Thread) {
        return Matter::of_digits(&bare).map(Code::Matter);
    }
    if hex && InstallCode::LENGTHS.contains(&bare.len()) {
        return InstallCode::read(&bare).map(Code::Zigbee);
    }
    Ok(Code::Text(text.to_owned()))
}
