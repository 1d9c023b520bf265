//! Names and rooms as each platform is to have them: to copy from, to tick, and held against what stands there.

use actix_web::{HttpResponse, get, post, web};
use askama::Template;
use dot_reach_core::gate::gate;
use dot_reach_core::names::{NameLine, NamesIn, RoomLine, RoomList, StandsAs, Stray, names, rooms};
use dot_reach_core::record::{NameList, Step, What};
use dot_reach_core::site::Site;
use dot_reach_formats::{Imported, name_list};
use serde::Deserialize;
use serde_json::json;

use crate::commands::{Answer, ChangeMark, ToSay, drawn, take_told};
use crate::door::{Change, For, See};
use crate::error::WebError;
use crate::pages::house_time::day;
use crate::pages::{Shell, printed};

#[derive(Template)]
#[template(path = "prove/names.html")]
struct Page {
    shell: Shell,
    has_platforms: bool,
    /// Platforms whose list may be brought in: id and name.
    of: Vec<(String, String)>,
    lists: Vec<ListForm>,
    rooms: Vec<RoomLine>,
    /// How the list of rooms stands with the household, and whether that is settled.
    agreed: String,
    is_agreed: bool,
    without_room: Vec<String>,
}

struct ListForm {
    of: String,
    title: String,
    /// When what stands there was looked at, and by whom; empty while nobody did.
    found: String,
    /// What is to be put right there, in a sentence; empty where nothing is.
    wrong: String,
    ticked: usize,
    lines: Vec<LineForm>,
    strays: Vec<[String; 2]>,
}

struct LineForm {
    point: String,
    name: String,
    room: String,
    /// What it is to be there, as how many controls, with its number in its network.
    facts: String,
    /// What is wrong with the name or the room on the plan.
    on_plan: &'static str,
    /// What is to be done there; empty where it stands as it is to.
    said: String,
    is_wrong: bool,
    /// Whether name and room were found as they are to be.
    is_settled: bool,
    /// What ticks it; empty where it is ticked on no card.
    tick: String,
    is_ticked: bool,
}

/// What is to be done about a line.
fn said(line: &NameLine) -> String {
    match &line.stands {
        StandsAs::NotLooked => String::new(),
        StandsAs::AsAgreed => "stands there so".to_owned(),
        StandsAs::NameOnly => "its name stands there; its room is not known".to_owned(),
        StandsAs::DefaultRoom(room) if room.is_empty() => {
            format!("in no room: move it to {}", line.room)
        }
        StandsAs::DefaultRoom(room) => format!("left in “{room}”: move it to {}", line.room),
        StandsAs::OtherRoom(room) => format!("in {room} there: move it to {}", line.room),
        StandsAs::Called(row) if row.room.is_empty() => {
            format!("most likely “{}” there: rename it", row.name)
        }
        StandsAs::Called(row) => {
            format!("most likely “{}” in {} there: rename it", row.name, row.room)
        }
        StandsAs::Times(2) => "stands there twice: one of them is to go".to_owned(),
        StandsAs::Times(n) => format!("stands there {n} times: all but one are to go"),
        StandsAs::Missing => "not there: let it in, or find what it is called".to_owned(),
    }
}

fn line(site: &Site, line: NameLine) -> LineForm {
    let point = site.devices.get(&line.device).map(|d| d.point.to_string()).unwrap_or_default();
    let on_plan = match () {
        () if line.is_twice => "two of this list are called so: rename one on the plan",
        () if line.room.is_empty() => "in no room: draw its room, or name it at its place",
        () => "",
    };
    let tick = line.tick.as_ref().map(|word| {
        let on = !line.is_ticked;
        json!({"do": "check", "device": line.device, "step": Step::Named, "check": word, "on": on})
            .to_string()
    });
    let class = line.class.map(|c| format!("as {} {}", article(c.name()), c.name()));
    let controls = (line.controls > 1).then(|| format!("usually {} controls", line.controls));
    let number = line.number.map(|n| format!("number {n}"));
    let facts: Vec<String> = [class, controls, number].into_iter().flatten().collect();
    LineForm {
        facts: facts.join(", "),
        point,
        on_plan,
        is_wrong: line.is_wrong(),
        is_settled: line.stands == StandsAs::AsAgreed,
        said: said(&line),
        tick: tick.unwrap_or_default(),
        is_ticked: line.is_ticked,
        name: line.name,
        room: line.room,
    }
}

fn stray(stray: Stray) -> [String; 2] {
    let Stray { entry, second_of, is_control } = stray;
    let at =
        if entry.room.is_empty() { entry.name } else { format!("{}, {}", entry.name, entry.room) };
    let what = match second_of {
        Some(of) if is_control => format!(
            "most likely one more control of {of}, which has several outputs: see which it works"
        ),
        Some(of) => format!(
            "a second entry of {of}, by its name: look which one answers, and take the other out"
        ),
        None => {
            "nothing of the plan is called so: an old entry, or something that is on no plan yet"
                .to_owned()
        }
    };
    [at, what]
}

fn article(word: &str) -> &'static str {
    if word.starts_with(['a', 'e', 'i', 'o', 'u']) { "an" } else { "a" }
}

/// How the list of rooms stands with the household.
fn agreed(list: &RoomList<'_>) -> String {
    let Some(of) = list.agreed else {
        return "Nobody of the household has agreed to it yet.".to_owned();
    };
    let when = format!("{} agreed to it {}", of.name, day(&of.at));
    let note = if of.note.is_empty() { String::new() } else { format!(" ({})", of.note) };
    let new: Vec<&str> = list.rooms.iter().filter(|r| r.is_new).map(|r| r.name.as_str()).collect();
    let since = [("new", new.join(", ")), ("gone", list.gone.join(", "))];
    let since: Vec<String> = since
        .iter()
        .filter(|(_, names)| !names.is_empty())
        .map(|(word, names)| format!("{word} since: {names}"))
        .collect();
    if since.is_empty() {
        format!("{when}{note}.")
    } else {
        format!("{when}{note}; {}. Agree on it again.", since.join("; "))
    }
}

fn wrong(list: &NamesIn) -> String {
    match (list.wrong(), list.strays.iter().filter(|s| !s.is_control).count()) {
        (0, 0) => String::new(),
        (wrong, 0) => format!("{wrong} of {} to be put right", list.lines.len()),
        (0, strays) => format!("all as agreed; {strays} more stand there"),
        (wrong, strays) => {
            format!("{wrong} of {} to be put right; {strays} more stand there", list.lines.len())
        }
    }
}

#[get("/jobs/{job}/prove/names")]
pub(crate) async fn show(For(job, ..): For<See>) -> Result<HttpResponse, WebError> {
    printed(job, move |job| {
        let site = &job.site;
        let of_rooms = rooms(site, &job.record);
        let lists = names(&gate(&job.record, site), &job.record);
        let form = |list: NamesIn| ListForm {
            found: list
                .found
                .and_then(|place| job.record.entries_from(place).next())
                .map_or_else(String::new, |e| format!("looked at {} by {}", day(&e.said), e.by)),
            wrong: wrong(&list),
            ticked: list.lines.iter().filter(|l| l.is_ticked).count(),
            lines: list.lines.into_iter().map(|l| line(site, l)).collect(),
            strays: list.strays.into_iter().map(stray).collect(),
            of: list.of,
            title: list.title,
        };
        Ok(Page {
            shell: job.shell("prove/names"),
            agreed: agreed(&of_rooms),
            is_agreed: of_rooms.is_agreed(),
            rooms: of_rooms.rooms,
            without_room: of_rooms.without,
            has_platforms: !site.platforms.is_empty(),
            of: lists.iter().map(|l| (l.of.clone(), l.title.clone())).collect(),
            lists: lists.into_iter().map(form).collect(),
        })
    })
    .await
}

/// A list of names as it was pasted.
#[derive(Deserialize)]
pub(crate) struct Pasted {
    text: String,
    /// The platform, or the network of the hub.
    of: String,
    #[serde(flatten)]
    mark: ChangeMark,
}

#[post("/jobs/{job}/names")]
pub(crate) async fn bring(For(job, sent, ..): For<Change, web::Json<Pasted>>) -> Answer {
    let Pasted { text, of, mark } = sent.into_inner();
    let is_known =
        job.site.platforms.named(&of).is_some() || job.site.networks.named(&of).is_some();
    if !is_known {
        return Err(WebError::field(
            "of",
            "say whose list it is: name the platform in the brief first",
        ));
    }
    let id = drawn("names");
    take_told(&job, mark, move |_, _| {
        let Imported { value: rows, findings } = name_list::read(&text);
        let new = rows.len();
        let list = |id| What::NamesFound(NameList { id, of: of.clone(), rows });
        let what = id.parse().ok().filter(|_| new > 0).map(list);
        Imported { value: ToSay { what: what.into_iter().collect(), new, again: 0 }, findings }
    })
    .await
}
