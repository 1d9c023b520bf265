//! Codes against published examples, and against every digit that could be read wrong.

use dot_reach_core::codes::{Code, CodeError, parse};
use dot_reach_core::radio::system::System;

/// Of the Matter specification's and its open-source samples' own device: passcode 20202021, discriminator
/// 3840, maker 0xFFF1, product 0x8000 and 0x8001.
const MATTER_QR: [(&str, u16); 2] =
    [("MT:Y.K9042C00KA0648G00", 0x8000), ("MT:-24J042C00KA0648G00", 0x8001)];
const MATTER_MANUAL: &str = "34970112332";
/// Zigbee Base Device Behaviour 3.0.1, 10.1: the example with its CRC 0xB5C3, lowest byte first.
const INSTALL_CODE: &str = "83FED3407A939723A5C639B26916D505C3B5";
/// The label that the Z-Wave specification of the QR works out.
const LABEL: &str =
    "900132782003515253545541424344453132333435212223242500100435301537022065520001000000300578";

fn of(text: &str) -> Result<Code, CodeError> {
    parse(text, None)
}

#[test]
fn a_matter_qr_says_what_its_maker_put_in() {
    for (text, product) in MATTER_QR {
        let Code::Matter(read) = of(text).unwrap() else { panic!("{text}") };
        assert_eq!((read.passcode, read.discriminator), (20_202_021, 3840));
        assert_eq!((read.vendor, read.product), (Some(0xfff1), Some(product)));
    }
}

#[test]
fn a_matter_code_agrees_with_its_qr_and_sees_every_wrong_digit() {
    let Code::Matter(typed) = of(MATTER_MANUAL).unwrap() else { panic!() };
    let Code::Matter(scanned) = of(MATTER_QR[0].0).unwrap() else { panic!() };
    assert_eq!(typed.passcode, 20_202_021);
    assert!(typed.is_manual && typed.agrees(&scanned) && scanned.agrees(&typed));
    assert_eq!(of("3497-011-2332").unwrap(), Code::Matter(typed), "as it is printed");
    for wrong in one_sign_off(MATTER_MANUAL, "0123456789") {
        assert!(of(&wrong).is_err(), "{wrong}");
    }
    let digits = MATTER_MANUAL.as_bytes();
    for place in 0..digits.len() - 1 {
        let mut turned = digits.to_vec();
        turned.swap(place, place + 1);
        let turned = String::from_utf8(turned).unwrap();
        assert!(turned == MATTER_MANUAL || of(&turned).is_err(), "{turned}");
    }
}

#[test]
fn an_install_code_sees_every_wrong_digit() {
    let Code::Zigbee(read) = of(INSTALL_CODE).unwrap() else { panic!() };
    assert_eq!(read.bytes().len(), 16);
    assert_eq!(of("83fe d340 7a93 9723 a5c6 39b2 6916 d505 c3b5").unwrap(), Code::Zigbee(read));
    for wrong in one_sign_off(INSTALL_CODE, "0123456789ABCDEF") {
        assert_eq!(of(&wrong), Err(CodeError::Checksum), "{wrong}");
    }
}

#[test]
fn a_zwave_label_sees_every_wrong_digit_and_says_its_pin() {
    let Code::ZWave(read) = of(LABEL).unwrap() else { panic!() };
    assert_eq!((read.is_scan_ahead, read.keys, read.dsk.pin), (true, 3, 51525));
    assert_eq!(read.dsk.to_string(), "PIN 51525-35455-41424-34445-31323-33435-21222-32425");
    // The first two digits say what it is: another there makes it another kind of text. The version stands
    // before the checksum and is not in it: 00 is the same label of a device that is not scanned ahead.
    for wrong in one_sign_off(LABEL, "0123456789").filter(|w| w.starts_with("90")) {
        if wrong.starts_with("9000") {
            assert!(
                matches!(of(&wrong), Ok(Code::ZWave(l)) if !l.is_scan_ahead && l.dsk == read.dsk)
            );
        } else {
            assert!(of(&wrong).is_err(), "{wrong}");
        }
    }
}

#[test]
fn a_printed_key_checks_only_that_no_group_is_too_large_and_says_so() {
    let key = "51525-35455-41424-34445-31323-33435-21222-32425";
    let read = parse(key, Some(System::ZWave)).unwrap();
    assert!(matches!(&read, Code::Dsk(d) if d.pin == 51525) && !read.checks_itself());
    let large = key.replace("51525", "71525");
    let group = "71525".to_owned();
    assert_eq!(parse(&large, Some(System::ZWave)), Err(CodeError::Group { group }));
    assert!(matches!(parse("5152", Some(System::ZWave)), Err(CodeError::Length { is: 4, .. })));
    assert!(matches!(parse("51525", Some(System::ZWave)), Ok(Code::Dsk(d)) if d.rest.is_none()));
}

#[test]
fn a_code_of_another_system_is_refused_and_any_text_is_survived() {
    assert!(parse(LABEL, Some(System::Zigbee)).is_err());
    assert!(matches!(
        parse(MATTER_QR[0].0, Some(System::ZWave)),
        Err(CodeError::Other { is: "Matter", wanted: "Z-Wave" })
    ));
    assert!(matches!(parse("AB-12-whatever", Some(System::Star)), Ok(Code::Text(_))));
    for text in
        ["", " ", "MT:", "MT:é", "90", "9001", "MT:0000000000000000000", "MT:*", "-", "MT:ZZZZZ"]
    {
        let _read = of(text);
    }
    assert_eq!(of(""), Err(CodeError::Empty));
    assert_eq!(of(&"9".repeat(600)), Err(CodeError::TooLong));
    assert!(of("MT:Y.K9042C00KA0648G0").is_err(), "one sign short");
}

/// The text with each of its signs replaced by each other one.
fn one_sign_off<'a>(text: &'a str, signs: &'a str) -> impl Iterator<Item = String> + 'a {
    (0..text.len()).flat_map(move |place| {
        let others = signs.chars().filter(move |s| !text[place..].starts_with(*s));
        others.map(move |sign| format!("{}{sign}{}", &text[..place], &text[place + 1..]))
    })
}

#[test]
fn a_zigbee_device_has_an_install_code_or_none_and_never_plain_words() {
    let zigbee = |text: &str| parse(text, Some(System::Zigbee));
    // A letter read for a digit, a word for a code, a digit too few.
    assert_eq!(zigbee(&INSTALL_CODE.replace('3', "G")), Err(CodeError::Sign { sign: 'G' }));
    assert!(matches!(zigbee("on the back of it"), Err(CodeError::Sign { .. })));
    assert!(matches!(zigbee(&INSTALL_CODE[2..]), Err(CodeError::Length { .. })));
    // The text of its label's QR: the install code among other fields, held against its checksum.
    let label = format!("Z:00158D0001020304$I:{INSTALL_CODE}");
    assert_eq!(zigbee(&label), of(INSTALL_CODE));
    let wrong = INSTALL_CODE.replacen('8', "9", 1);
    assert_eq!(zigbee(&format!("Z:00158D0001020304$I:{wrong}")), Err(CodeError::Checksum));
    // It may speak Matter through its hub.
    assert!(matches!(zigbee(MATTER_MANUAL), Ok(Code::Matter(_))));
}

/// Two codes are of one device where all that both say agrees; the first digits of a key can be those of another.
#[test]
fn a_code_is_known_again_however_it_was_read() {
    let same = |one: &str, other: &str, system| {
        parse(one, Some(system)).unwrap().is_of(&parse(other, Some(system)).unwrap())
    };
    let (zigbee, zwave, star) = (System::Zigbee, System::ZWave, System::Star);
    assert!(same(INSTALL_CODE, &INSTALL_CODE.to_lowercase(), zigbee));
    assert!(same(&format!("Z:0$I:{INSTALL_CODE}"), INSTALL_CODE, zigbee));
    assert!(same(LABEL, LABEL, zwave));
    let key: String = LABEL[12..52].to_owned();
    assert!(same(LABEL, &key, zwave), "the label and the key that is printed beside it");
    assert!(!same(&key[..5], &key[..5], zwave), "a PIN alone says nothing");
    assert!(same("AB-1", "AB-1", star) && !same("AB-1", "AB-2", star));
}
