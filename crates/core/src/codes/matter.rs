//! The onboarding payload of Matter: as a QR, and as the code that is typed.

use std::fmt;

use super::CodeError;

/// What an onboarding payload says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Matter {
    /// Whether it is the code that is typed: of the discriminator that holds four bits only.
    pub is_manual: bool,
    /// The number of its maker, where it is said.
    pub vendor: Option<u16>,
    /// The number of the product, where it is said.
    pub product: Option<u16>,
    /// By which it is found: twelve bits, or the upper four of them.
    pub discriminator: u16,
    /// By which it is opened.
    pub passcode: u32,
}

/// Passcodes that none may have. Matter 1.3, 5.1.7.1.
const FORBIDDEN: [u32; 12] = [
    0, 11_111_111, 22_222_222, 33_333_333, 44_444_444, 55_555_555, 66_666_666, 77_777_777,
    88_888_888, 99_999_999, 12_345_678, 87_654_321,
];

impl Matter {
    /// A QR's payload, what follows `MT:`. Matter 1.3, 5.1.3: base 38 over the bits of version 3, vendor 16,
    /// product 16, flow 2, discovery 8, discriminator 12, passcode 27, padding 4, from the lowest.
    pub(super) fn of_qr(text: &str) -> Result<Self, CodeError> {
        // Parts that follow a * are of several devices in one box; the first is read.
        let first = text.split('*').next().unwrap_or_default();
        let bytes = base38(first)?;
        if bytes.len() < 11 {
            let wanted = "a QR of this kind carries 19 signs after MT:";
            return Err(CodeError::Length { is: first.len(), wanted });
        }
        let mut rest =
            bytes[..11].iter().rev().fold(0_u128, |all, byte| all << 8 | u128::from(*byte));
        let mut take = |bits: u32| {
            let value = rest & ((1 << bits) - 1);
            rest >>= bits;
            u32::try_from(value).unwrap_or(u32::MAX)
        };
        let (version, vendor, product) = (take(3), take(16), take(16));
        let (flow, _, discriminator) = (take(2), take(8), take(12));
        let (passcode, padding) = (take(27), take(4));
        if version != 0 || padding != 0 {
            return Err(CodeError::Impossible { what: "a version that there is not" });
        }
        if flow == 3 {
            return Err(CodeError::Impossible { what: "a way of joining that there is not" });
        }
        let low = |value: u32| u16::try_from(value).unwrap_or(u16::MAX);
        Self {
            is_manual: false,
            vendor: Some(low(vendor)),
            product: Some(low(product)),
            discriminator: low(discriminator),
            passcode,
        }
        .checked()
    }

    /// The code that is typed, eleven or twenty-one digits. Matter 1.3, 5.1.4.1: of the first digit bit 2
    /// says that vendor and product follow, bits 1 and 0 are the discriminator's upper ones; the next
    /// five digits hold its lower two and fourteen bits of the passcode, the next four thirteen more; the last
    /// is a check digit by Verhoeff.
    pub(super) fn of_digits(bare: &str) -> Result<Self, CodeError> {
        if let Some(sign) = bare.chars().find(|c| !c.is_ascii_digit()) {
            return Err(CodeError::Sign { sign });
        }
        if !matches!(bare.len(), 11 | 21) {
            let wanted = "such a code has 11, or 21 with maker and product";
            return Err(CodeError::Length { is: bare.len(), wanted });
        }
        if !verhoeff(bare) {
            return Err(CodeError::CheckDigit);
        }
        let number = |from: usize, to: usize| bare[from..to].parse::<u32>().unwrap_or(u32::MAX);
        let (first, second, third) = (number(0, 1), number(1, 6), number(6, 10));
        if first > 7 || second > 0xffff || third > 0x1fff {
            return Err(CodeError::Impossible { what: "a number that is too large" });
        }
        let is_long = first & 4 != 0;
        if is_long != (bare.len() == 21) {
            return Err(CodeError::Impossible { what: "another length than it has" });
        }
        let discriminator = (first & 3) << 2 | second >> 14;
        let passcode = second & 0x3fff | third << 14;
        let part = |from, to| {
            let value = is_long.then(|| u16::try_from(number(from, to)));
            let what = "a maker or product above 65535";
            value.transpose().map_err(|_| CodeError::Impossible { what })
        };
        Self {
            is_manual: true,
            vendor: part(10, 15)?,
            product: part(15, 20)?,
            discriminator: u16::try_from(discriminator).unwrap_or(u16::MAX),
            passcode,
        }
        .checked()
    }

    fn checked(self) -> Result<Self, CodeError> {
        if self.passcode > 99_999_998 || FORBIDDEN.contains(&self.passcode) {
            return Err(CodeError::Impossible { what: "a passcode that none may have" });
        }
        Ok(self)
    }

    /// Whether two codes are of one device: passcode, and what both say of the discriminator.
    pub fn agrees(&self, other: &Self) -> bool {
        let upper = |m: &Self| if m.is_manual { m.discriminator } else { m.discriminator >> 8 };
        self.passcode == other.passcode && upper(self) == upper(other)
    }
}

impl fmt::Display for Matter {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "passcode {:08}, discriminator {}", self.passcode, self.discriminator)
    }
}

/// Base 38: five signs are three bytes, four are two, two are one, the lowest first.
fn base38(text: &str) -> Result<Vec<u8>, CodeError> {
    const SIGNS: &str = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ-.";
    let mut bytes = Vec::new();
    let signs: Vec<char> = text.chars().collect();
    for group in signs.chunks(5) {
        let count = match group.len() {
            5 => 3,
            4 => 2,
            2 => 1,
            _ => {
                let wanted = "a QR of this kind carries 19 signs after MT:";
                return Err(CodeError::Length { is: signs.len(), wanted });
            }
        };
        let mut value = 0_u32;
        for sign in group.iter().rev() {
            let digit = SIGNS.find(*sign).ok_or(CodeError::Sign { sign: *sign })?;
            value = value * 38 + u32::try_from(digit).unwrap_or(0);
        }
        if value >> (8 * count) != 0 {
            return Err(CodeError::Impossible { what: "a number that is too large" });
        }
        bytes.extend_from_slice(&value.to_le_bytes()[..count]);
    }
    Ok(bytes)
}

/// The check digit of Verhoeff (1969): over the dihedral group of order ten, which sees every single digit
/// that was read wrong and every two neighbours that changed places.
fn verhoeff(digits: &str) -> bool {
    /// `j ∘ k` in the group D5.
    fn times(j: u8, k: u8) -> u8 {
        match (j < 5, k < 5) {
            (true, true) => (j + k) % 5,
            (true, false) => (j + k - 5) % 5 + 5,
            (false, true) => (j - 5 + 5 - k) % 5 + 5,
            (false, false) => (j + 5 - k) % 5,
        }
    }
    const TURNED: [u8; 10] = [1, 5, 7, 6, 2, 8, 3, 0, 9, 4];
    let mut sum = 0;
    for (place, digit) in digits.bytes().rev().enumerate() {
        let turned = (0..place % 8).fold(digit - b'0', |d, _| TURNED[usize::from(d)]);
        sum = times(sum, turned);
    }
    sum == 0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_check_digit_is_that_of_the_worked_example() {
        // Verhoeff's own: 236 has the check digit 3.
        assert!(verhoeff("2363") && !verhoeff("2364") && !verhoeff("3263"));
    }
}
