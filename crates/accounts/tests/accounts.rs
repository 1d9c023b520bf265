//! Coming in, staying in, and what ends it.
#![expect(
    clippy::unwrap_used,
    clippy::panic,
    reason = "a house that cannot be built has failed the test"
)]

use std::net::IpAddr;

use dot_reach_accounts::{
    Account, AccountError, Accounts, Entered, FirmId, FirmRole, IDLE, LONGEST, LinkScope,
    NewPerson, Token,
};
use jiff::{SignedDuration, Timestamp};
use tempfile::TempDir;

const PASSWORD: &str = "kettle orbit lantern moss";
const HERE: IpAddr = IpAddr::V4(std::net::Ipv4Addr::LOCALHOST);

fn at(seconds: i64) -> Timestamp {
    Timestamp::from_second(1_800_000_000 + seconds).unwrap()
}

fn later(duration: SignedDuration) -> Timestamp {
    at(duration.as_secs())
}

struct House {
    accounts: Accounts,
    firm: FirmId,
    owner: Account,
    folder: TempDir,
}

fn person(login: &str) -> NewPerson {
    NewPerson {
        firm: "Quayside Electric".to_owned(),
        name: format!("{login} of the quay"),
        login: login.to_owned(),
        password: PASSWORD.to_owned(),
    }
}

impl House {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let accounts = Accounts::open(&folder.path().join("accounts.db")).unwrap();
        let link = accounts.first_link(at(0)).unwrap().unwrap();
        let owner =
            accounts.take_invite(link.as_str(), &person("Ines@quay.example"), at(1)).unwrap();
        let firm = owner.firm.clone();
        Self { accounts, firm, owner, folder }
    }

    fn add(&self, login: &str, role: FirmRole) -> Account {
        let link = self.accounts.invite(&self.firm, role, "", at(0)).unwrap();
        self.accounts.take_invite(link.as_str(), &person(login), at(1)).unwrap()
    }

    fn enter(&self, login: &str, now: Timestamp) -> Token {
        let entered = self.accounts.sign_in(login, PASSWORD, (HERE, "a phone"), now).unwrap();
        let Entered::In(token) = entered else { panic!("no code is asked for") };
        token
    }

    fn is_in(&self, token: &Token, now: Timestamp) -> bool {
        self.accounts.signed_in(token.as_str(), now).unwrap().is_some()
    }
}

#[test]
fn the_first_link_makes_one_firm_and_its_owner_and_works_once() {
    let folder = tempfile::tempdir().unwrap();
    let accounts = Accounts::open(&folder.path().join("accounts.db")).unwrap();
    let old = accounts.first_link(at(0)).unwrap().unwrap();
    let link = accounts.first_link(at(0)).unwrap().unwrap();
    let take = |link: &Token, now| accounts.take_invite(link.as_str(), &person("ines"), now);
    assert!(matches!(take(&old, at(1)), Err(AccountError::Link)), "the one before opens nothing");
    assert!(
        matches!(take(&link, at(86_400)), Err(AccountError::Link)),
        "a day later it is too old"
    );
    // What will not do leaves the link as good as before.
    let weak = NewPerson { password: "password1234".to_owned(), ..person("ines") };
    assert!(matches!(
        accounts.take_invite(link.as_str(), &weak, at(2)),
        Err(AccountError::Field { .. })
    ));
    let owner = take(&link, at(3)).unwrap();
    assert_eq!((owner.role, owner.firm.as_str()), (FirmRole::Owner, "quayside-electric"));
    assert!(matches!(take(&link, at(4)), Err(AccountError::Link)), "it worked once");
    assert!(accounts.first_link(at(5)).unwrap().is_none(), "there is a firm");
    assert!(matches!(accounts.take_invite("", &person("x"), at(5)), Err(AccountError::Link)));
}

#[test]
fn what_everybody_tries_first_is_no_password() {
    let house = House::new();
    let link = house.accounts.invite(&house.firm, FirmRole::Viewer, "", at(0)).unwrap();
    let refused = |password: &str| {
        let filled = NewPerson { password: password.to_owned(), ..person("otto") };
        matches!(
            house.accounts.take_invite(link.as_str(), &filled, at(1)),
            Err(AccountError::Field { field, .. }) if field == "password"
        )
    };
    for weak in [
        "",
        "short",
        "elevenchars",
        "password1234",
        "PASSWORD12345!",
        "administrator",
        "1234567890123",
        "987654321098",
        "qwertyuiopas",
        "aaaaaaaaaaaaaaa",
        "abababababab",
        "passwordpassword",
        "abcdefghijklm",
        "quayside electric",
        "otto of the quay",
        "Smarthome2026",
    ] {
        assert!(refused(weak), "“{weak}” is taken");
    }
    assert!(refused(&"long enough to tire ".repeat(7)), "longer than anybody types");
    assert!(!refused("drei Öfen im Schnee"), "spaces and letters of any language are good");
}

#[test]
fn a_wrong_name_and_a_wrong_password_are_answered_alike_and_guessing_is_slowed() {
    let house = House::new();
    let try_once = |login: &str, password: &str, address: [u8; 4]| {
        house.accounts.sign_in(login, password, (address.into(), ""), at(2)).map(|_| ())
    };
    let (name, password) =
        (try_once("nobody", PASSWORD, [1; 4]), try_once("ines@quay.example", "x", [2; 4]));
    assert_eq!(name.unwrap_err().to_string(), password.unwrap_err().to_string());
    // By account, from wherever it comes; the right password waits with the rest.
    let mut slowed = None;
    for n in 0..12 {
        if let Err(AccountError::Slowed(wait)) = try_once("ines@quay.example", "x", [10, 0, 0, n]) {
            slowed = Some(wait);
        }
    }
    assert!(slowed.is_some_and(|wait| (1..=60).contains(&wait)), "{slowed:?}");
    assert!(matches!(
        try_once("INES@quay.example ", PASSWORD, [9; 4]),
        Err(AccountError::Slowed(_))
    ));
    // By address, whomever it is about; a network of one person is one.
    let one_of = |n: u16| IpAddr::from([0x2001, 0xdb8, 0, 1, n, n, n, n]);
    let many = (0..60)
        .map(|n| house.accounts.sign_in(&format!("somebody-{n}"), "x", (one_of(n), ""), at(2)));
    let slowed = many.filter(|told| matches!(told, Err(AccountError::Slowed(_)))).count();
    assert!((15..=25).contains(&slowed), "{slowed} of 60 were slowed");
}

#[test]
fn a_session_ends_when_it_lies_idle_when_it_is_old_and_when_it_is_ended() {
    let house = House::new();
    let token = house.enter("ines@quay.example", at(10));
    assert!(house.is_in(&token, later(IDLE)), "it was used within the time");
    assert!(!house.is_in(&token, at(11 + 2 * IDLE.as_secs())), "it lay idle");
    assert!(
        !house.is_in(&token, at(12)),
        "what ended does not begin again, whatever the clock says"
    );
    // Used each day, with every new word taken, it ends when it is old.
    let mut token = house.enter("ines@quay.example", at(0));
    let mut last = 0;
    for day in 1..40 {
        let now = later(SignedDuration::from_hours(24 * day));
        let Some(signed) = house.accounts.signed_in(token.as_str(), now).unwrap() else { break };
        last = day;
        token = signed.renewed.unwrap_or(token);
    }
    assert_eq!(last, LONGEST.as_hours() / 24);
    let (one, other) =
        (house.enter("ines@quay.example", at(0)), house.enter("ines@quay.example", at(0)));
    let all = house.accounts.sessions(&house.owner.id).unwrap();
    assert_eq!(all.len(), 2);
    let signed = house.accounts.signed_in(one.as_str(), at(1)).unwrap().unwrap();
    house.accounts.end_session(&house.owner.id, &signed.session).unwrap();
    assert!(!house.is_in(&one, at(2)) && house.is_in(&other, at(2)));
    house.accounts.end_sessions(&house.owner.id, None).unwrap();
    assert!(!house.is_in(&other, at(3)));
    assert!(!house.is_in(&token, at(3)));
}

#[test]
fn a_session_gets_new_words_and_an_answer_that_was_lost_shuts_nobody_out() {
    let house = House::new();
    let first = house.enter("ines@quay.example", at(0));
    let see =
        |token: &Token, seconds| house.accounts.signed_in(token.as_str(), at(seconds)).unwrap();
    assert!(see(&first, 3600).unwrap().renewed.is_none(), "not within the hour");
    let lost = see(&first, 3700).unwrap().renewed.unwrap();
    // The answer with the new word was lost in a cellar: the old one goes on, and gets yet another.
    assert!(see(&first, 3730).unwrap().renewed.is_none(), "requests under way get none");
    let second = see(&first, 9000).unwrap().renewed.unwrap();
    assert!(see(&lost, 9001).is_none(), "the one that was lost opens nothing");
    assert!(see(&second, 9002).is_some());
    assert!(see(&first, 9020).is_some(), "for a minute both are good");
    assert!(see(&second, 9100).is_some());
    assert!(see(&first, 9101).is_none(), "once the new one was seen, the old one is over");
}

#[test]
fn who_is_shut_out_given_another_part_or_another_password_is_out_everywhere() {
    let house = House::new();
    let otto = house.add("otto", FirmRole::Installer);
    let in_once = || house.enter("otto", at(20));
    let token = in_once();
    house.accounts.set_role(&house.firm, &otto.id, FirmRole::Viewer).unwrap();
    assert!(!house.is_in(&token, at(21)));
    let token = in_once();
    house.accounts.set_shut(&house.firm, &otto.id, true, at(22)).unwrap();
    assert!(!house.is_in(&token, at(23)));
    assert!(matches!(
        house.accounts.sign_in("otto", PASSWORD, (HERE, ""), at(24)),
        Err(AccountError::Wrong)
    ));
    assert!(matches!(
        house.accounts.reset(&house.firm, &otto.id, at(25)),
        Err(AccountError::Nobody)
    ));
    house.accounts.set_shut(&house.firm, &otto.id, false, at(26)).unwrap();
    let token = in_once();
    let link = house.accounts.reset(&house.firm, &otto.id, at(27)).unwrap();
    assert!(house.is_in(&token, at(28)), "a link that nobody followed changes nothing");
    let other =
        NewPerson { password: "saddle violet anchor nine".to_owned(), ..NewPerson::default() };
    house.accounts.take_invite(link.as_str(), &other, at(29)).unwrap();
    assert!(!house.is_in(&token, at(30)));
    let again = house.accounts.sign_in("otto", &other.password, (HERE, ""), at(31));
    assert!(matches!(again, Ok(Entered::In(_))));
}

#[test]
fn a_firm_keeps_an_owner_and_another_firms_people_are_nobody() {
    let house = House::new();
    let refused = |told: Result<(), AccountError>| matches!(told, Err(AccountError::Field { .. }));
    let id = &house.owner.id;
    assert!(refused(house.accounts.set_role(&house.firm, id, FirmRole::Planner)));
    assert!(refused(house.accounts.set_shut(&house.firm, id, true, at(2))));
    assert!(refused(house.accounts.delete_name(&house.firm, id, at(2))));
    assert_eq!(
        house.accounts.person(&house.firm, id).unwrap(),
        house.owner,
        "and nothing of it was done"
    );
    let other = house.accounts.make_firm("Quayside Electric", at(2)).unwrap().id;
    assert_ne!(other, house.firm);
    let nobody = |told: Result<(), AccountError>| matches!(told, Err(AccountError::Nobody));
    assert!(nobody(house.accounts.person(&other, id).map(|_| ())));
    assert!(nobody(house.accounts.set_role(&other, id, FirmRole::Viewer)));
    assert!(nobody(house.accounts.set_licence(&other, id, "E 1", "DE")));
    assert!(nobody(house.accounts.set_shut(&other, id, true, at(3))));
    assert!(nobody(house.accounts.reset(&other, id, at(3)).map(|_| ())));
    assert!(nobody(house.accounts.delete_name(&other, id, at(3))));
    assert!(nobody(house.accounts.held_on(&other, id).map(|_| ())));
    for word in ["", "../quay", "Quay", "a/b", "-quay", "quay\0"] {
        assert!(word.parse::<FirmId>().is_err(), "{word:?} names a file");
    }
}

/// A code of a secret, as an authenticator tells it: RFC 6238, six digits of SHA-1, 30 s.
fn code(secret: &str, now: Timestamp) -> String {
    let secret = totp_rs::Secret::try_from_base32(secret).unwrap();
    let clock = totp_rs::Builder::new()
        .with_algorithm(totp_rs::Algorithm::SHA1)
        .with_digits(6)
        .with_step_duration(30)
        .with_secret(secret)
        .build_noncompliant();
    clock.generate(u64::try_from(now.as_second()).unwrap()).to_string()
}

#[test]
fn the_codes_are_those_of_the_standard() {
    // RFC 6238, appendix B: the secret “12345678901234567890”, the last six of eight digits.
    let secret = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ";
    for (seconds, told) in [(59, "287082"), (1_111_111_109, "081804"), (1_234_567_890, "005924")] {
        assert_eq!(code(secret, Timestamp::from_second(seconds).unwrap()), told);
    }
}

#[test]
fn a_second_step_is_asked_for_and_each_code_is_taken_once() {
    let house = House::new();
    let made = house.accounts.new_second_step(&house.owner).unwrap();
    assert!(made.address.starts_with("otpauth://totp/") && made.address.contains("Dot%20Reach"));
    let keep = |code: &str, password: &str| {
        house.accounts.keep_second_step(&house.owner, (&made.secret, code), password, at(100))
    };
    assert!(keep("000000", PASSWORD).is_err(), "a code that is not of it");
    assert!(keep(&code(&made.secret, at(100)), "not the password").is_err());
    keep(&code(&made.secret, at(100)), PASSWORD).unwrap();
    let half = || {
        let entered =
            house.accounts.sign_in("ines@quay.example", PASSWORD, (HERE, ""), at(200)).unwrap();
        let Entered::OwesCode(half) = entered else { panic!("no code was asked for") };
        half
    };
    let (one, other) = (half(), half());
    assert!(!house.is_in(&one, at(201)), "half way in is not in");
    let give = |half: &Token, code: &str, now| {
        house.accounts.give_code(half.as_str(), code, (HERE, ""), now)
    };
    assert!(give(&one, "123456", at(201)).is_err());
    assert!(
        give(&one, &code(&made.secret, at(100)), at(201)).is_err(),
        "the code by which it was set up"
    );
    assert!(
        give(&one, &code(&made.secret, at(201)), at(600)).is_err(),
        "the password was given too long ago"
    );
    let token = give(&one, &code(&made.secret, at(201)), at(202)).unwrap();
    assert!(house.is_in(&token, at(203)));
    assert!(give(&other, &code(&made.secret, at(201)), at(203)).is_err(), "a code is taken once");
    assert!(
        give(&one, &code(&made.secret, at(240)), at(240)).is_err(),
        "what stood for the password is used up"
    );
    // A link to a new password gives it up: who lost the phone gives no code.
    let link = house.accounts.reset(&house.firm, &house.owner.id, at(300)).unwrap();
    let other =
        NewPerson { password: "saddle violet anchor nine".to_owned(), ..NewPerson::default() };
    assert!(!house.accounts.take_invite(link.as_str(), &other, at(301)).unwrap().has_second_step);
}

#[test]
fn a_link_opens_one_thing_until_it_is_ended_or_too_old_and_is_counted() {
    let house = House::new();
    let by = (&house.firm, &house.owner.id);
    let day = 86_400;
    let give = |scope, visit, until| {
        house.accounts.give_link(by, ("job-1", scope, visit), "Mr. Rowan", until, at(0))
    };
    assert!(give(LinkScope::Electrician, "", at(day)).is_err(), "an electrician comes to a visit");
    assert!(
        give(LinkScope::Client, "", at(0)).is_err()
            && give(LinkScope::Client, "", at(181 * day)).is_err()
    );
    let token = give(LinkScope::Client, "day-1", at(day)).unwrap();
    let link = house.accounts.follow_link(token.as_str(), at(1)).unwrap();
    assert_eq!(
        (link.scope, link.job.as_str(), link.visit.as_str()),
        (LinkScope::Client, "job-1", "")
    );
    house.accounts.follow_link(token.as_str(), at(2)).unwrap();
    let of_job = house.accounts.links_of(&house.firm, "job-1").unwrap();
    assert_eq!((of_job[0].uses, of_job[0].used), (2, Some(at(2))));
    assert!(house.accounts.links_of(&house.firm, "job-2").unwrap().is_empty());
    assert!(house.accounts.link(token.as_str(), at(day)).unwrap().is_none(), "too old");
    house.accounts.end_link(&house.firm, "job-2", &link.id, at(3)).unwrap();
    assert!(
        house.accounts.link(token.as_str(), at(4)).unwrap().is_some(),
        "a link of another job is not ended by this one"
    );
    house.accounts.end_link(&house.firm, "job-1", &link.id, at(5)).unwrap();
    assert!(matches!(house.accounts.follow_link(token.as_str(), at(6)), Err(AccountError::Link)));
    assert!(
        house.accounts.signed_in(token.as_str(), at(6)).unwrap().is_none(),
        "a link signs nobody in"
    );
}

#[test]
fn a_name_that_is_deleted_is_gone_from_the_file_and_all_that_is_held_is_told() {
    let house = House::new();
    let otto = house.add("otto@quay.example", FirmRole::Electrician);
    house.accounts.set_licence(&house.firm, &otto.id, "E-4711-22", "de").unwrap();
    assert!(
        house.accounts.set_licence(&house.firm, &otto.id, "E-4711-22", "").is_err(),
        "a licence is of a country"
    );
    let token = house.enter("otto@quay.example", at(10));
    let held = house.accounts.held_on(&house.firm, &otto.id).unwrap();
    assert_eq!((held.login.as_str(), held.sessions.len()), ("otto@quay.example", 1));
    assert_eq!(held.licence.unwrap().country, "de");
    house.accounts.delete_name(&house.firm, &otto.id, at(20)).unwrap();
    assert!(!house.is_in(&token, at(21)));
    assert!(
        house.accounts.set_shut(&house.firm, &otto.id, false, at(22)).is_err(),
        "nobody is let in again"
    );
    let copy = house.folder.path().join("copy.db");
    house.accounts.copy_to(&copy).unwrap();
    let text = String::from_utf8_lossy(&std::fs::read(&copy).unwrap()).into_owned();
    assert!(!text.contains("otto") && !text.contains("E-4711"), "something of them is left");
    assert!(
        text.contains(&otto.id.to_string()),
        "the id stays, so that what they did is somebody's"
    );
}

#[test]
fn a_link_that_nobody_followed_is_taken_back_by_its_firm_alone() {
    let house = House::new();
    let link = house.accounts.invite(&house.firm, FirmRole::Viewer, "Uma", at(0)).unwrap();
    let open = house.accounts.open_invites(&house.firm, at(1)).unwrap();
    assert_eq!(
        open.iter().map(|i| (i.name.as_str(), i.is_reset)).collect::<Vec<_>>(),
        [("Uma", false)]
    );
    let other = house.accounts.make_firm("Moor", at(0)).unwrap().id;
    assert!(house.accounts.open_invites(&other, at(1)).unwrap().is_empty());
    assert!(matches!(house.accounts.end_invite(&other, &open[0].id), Err(AccountError::Link)));
    assert!(house.accounts.invited(&open[0].id, at(1)).is_err(), "what ends it opens nothing");
    house.accounts.end_invite(&house.firm, &open[0].id).unwrap();
    assert!(house.accounts.take_invite(link.as_str(), &person("uma"), at(2)).is_err());
    assert!(house.accounts.open_invites(&house.firm, at(2)).unwrap().is_empty());
}

#[test]
fn how_long_jobs_are_kept_is_said_by_each_firm_for_itself() {
    let house = House::new();
    let other = house.accounts.make_firm("Moor", at(0)).unwrap().id;
    assert_eq!(
        house.accounts.keep_years(&house.firm).unwrap(),
        0,
        "for good, until somebody says so"
    );
    house.accounts.set_keep_years(&house.firm, 10).unwrap();
    assert!(house.accounts.set_keep_years(&house.firm, 51).is_err());
    assert_eq!(house.accounts.keep_years(&house.firm).unwrap(), 10);
    assert_eq!(house.accounts.keep_years(&other).unwrap(), 0);
}

#[test]
fn a_passkey_answers_a_question_of_this_server_and_needs_a_name() {
    let house = House::new();
    let at_name = |host: &str| dot_reach_accounts::ServerName {
        host: host.to_owned(),
        origin: format!("https://{host}"),
    };
    let named = at_name("reach.quay.example");
    let asked = house.accounts.new_passkey(&house.owner, PASSWORD, &named).unwrap();
    assert!(
        asked.contains("reach.quay.example") && asked.contains("\"userVerification\":\"required\""),
        "{asked}"
    );
    assert!(house.accounts.new_passkey(&house.owner, "another one", &named).is_err());
    assert!(house.accounts.new_passkey(&house.owner, PASSWORD, &at_name("127.0.0.1")).is_err());
    // No two questions are alike, and a machine knows its person by the same word each time.
    let again = house.accounts.new_passkey(&house.owner, PASSWORD, &named).unwrap();
    let part = |text: &str, of: &str| {
        let from = text.find(of).unwrap() + of.len();
        text[from..].split('"').next().unwrap().to_owned()
    };
    assert_ne!(part(&asked, "\"challenge\":\""), part(&again, "\"challenge\":\""));
    assert_eq!(part(&asked, "\"id\":\""), part(&again, "\"id\":\""));
    let refused = |told: Result<Token, AccountError>| match told {
        Err(AccountError::Field { field, .. }) => assert_eq!(field, "passkey"),
        other => panic!("{other:?}"),
    };
    for answer in [&b"{}"[..], b"[]", b"\xff", b"{\"id\":\"x\"}"] {
        refused(house.accounts.sign_in_by_passkey(&named, answer, (HERE, "a phone"), at(5)));
    }
    // Guessing is slowed by address here too.
    let mut slowed = false;
    for _ in 0..60 {
        slowed |=
            matches!(house.accounts.ask_for_passkey(&named, HERE), Err(AccountError::Slowed(_)));
    }
    assert!(slowed);
}

#[test]
fn nothing_in_the_file_opens_anything() {
    let house = House::new();
    let session = house.enter("ines@quay.example", at(5));
    let invite = house.accounts.invite(&house.firm, FirmRole::Viewer, "Uma", at(5)).unwrap();
    let by = (&house.firm, &house.owner.id);
    let link = house
        .accounts
        .give_link(by, ("job", LinkScope::Client, ""), "Rowan", at(99), at(5))
        .unwrap();
    let copy = house.folder.path().join("copy.db");
    house.accounts.copy_to(&copy).unwrap();
    let text = String::from_utf8_lossy(&std::fs::read(&copy).unwrap()).into_owned();
    for secret in [session.as_str(), invite.as_str(), link.as_str(), PASSWORD] {
        assert!(!text.contains(secret), "a secret stands in the file");
    }
    assert!(
        text.contains("$argon2id$v=19$m=19456,t=2,p=1$"),
        "passwords are kept as they should be"
    );
    assert_eq!(format!("{session:?}"), "Token(…)");
}

#[test]
fn a_second_server_and_another_programs_file_are_refused_by_name() {
    let house = House::new();
    let path = house.folder.path().join("accounts.db");
    let told = |path: &std::path::Path| Accounts::open(path).unwrap_err().to_string();
    assert!(told(&path).contains("in use by another server"));
    assert!(Accounts::open_beside(&path).is_ok(), "whoever runs the server may look");
    let jobs = house.folder.path().join("jobs.db");
    drop(dot_reach_store::Store::open(&jobs).unwrap());
    assert!(told(&jobs).contains("another program"));
}
