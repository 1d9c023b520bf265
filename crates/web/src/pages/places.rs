//! Where each page of a job stands: the stages in the order of the work, and the pages of each. The one list from which
//! signposts, titles and the command box are made.

use dot_reach_core::needed::NeededAt;

/// A stage of the work.
#[derive(Debug)]
pub(crate) struct WorkStage {
    pub(crate) name: &'static str,
    pub(crate) pages: &'static [JobPage],
}

/// A page of a job.
#[derive(Debug)]
pub(crate) struct JobPage {
    /// Its address under that of the job.
    pub(crate) word: &'static str,
    pub(crate) name: &'static str,
    /// What it is for, in a line.
    pub(crate) means: &'static str,
}

const fn page(word: &'static str, name: &'static str, means: &'static str) -> JobPage {
    JobPage { word, name, means }
}

/// The stages, in the order of the work.
pub(crate) static STAGES: [WorkStage; 8] = [
    WorkStage {
        name: "Brief",
        pages: &[page("brief", "Brief", "Client, people, wishes, platforms and budget")],
    },
    WorkStage {
        name: "Survey",
        pages: &[
            page(
                "survey",
                "Plan",
                "Storeys, walls, openings, rooms, points and devices on the plan",
            ),
            page("sheet", "Point sheet", "Every box in one table, typed"),
            page("existing", "Already there", "What is in the house, from a list of its hub"),
            page(
                "previsit",
                "Boxes to open first",
                "What only an opened box can tell, in one visit before",
            ),
            page(
                "plans",
                "Plans in and out",
                "Drawings, images and pages of a PDF in, drawings out",
            ),
            page(
                "constructions",
                "Constructions",
                "Walls and slabs layer by layer, with what they cost in dB",
            ),
        ],
    },
    WorkStage {
        name: "Design",
        pages: &[
            page("reach", "Coverage", "Which device is reached, by which way, with what margin"),
            page("devices", "Devices", "What fits where, and what to choose"),
            page(
                "advice",
                "Hub and repeaters",
                "Where the hub stands, what repeats, and what it costs",
            ),
            page(
                "hub",
                "Places for the hub",
                "The same ranking, with every place analysed in full",
            ),
            page(
                "controls",
                "Controls",
                "Which switch or remote works which load, also in an outage",
            ),
            page(
                "schedules",
                "Schedules",
                "Scenes, and what runs by the clock and the sun, over a year",
            ),
            page(
                "spoken",
                "Phrases",
                "Names that are taken for each other, and what answers to a phrase",
            ),
            page(
                "air",
                "Channels and the air",
                "What else sends in the house, and the best channel",
            ),
            page("variants", "Variants", "Other ways to do this job, side by side"),
            page(
                "schools",
                "Why believe it",
                "The same links by three models, and what the numbers rest on",
            ),
        ],
    },
    WorkStage {
        name: "Offer",
        pages: &[
            page("bill", "Bill", "Devices, small parts and work, with their prices"),
            page(
                "library",
                "Library and prices",
                "The devices to choose from, and what each costs",
            ),
        ],
    },
    WorkStage {
        name: "Day",
        pages: &[
            page("install", "Visits", "Visits, what goes off when, and the steps"),
            page(
                "install/electrician",
                "Electrician’s sheet",
                "Every box with its wires, for the licensed person",
            ),
            page("install/fault", "Something does not work", "From what is seen to what is wrong"),
        ],
    },
    WorkStage {
        name: "Prove",
        pages: &[
            page("prove", "Measured against planned", "What differs, and what helps"),
            page("prove/readings", "Readings", "Levels that were measured, typed or pasted"),
            page("prove/acceptance", "Acceptance", "What was agreed, tested and signed"),
            page(
                "prove/stages",
                "As designed, built, proven",
                "The plan as it was kept at each time",
            ),
            page("prove/names", "Names", "What each thing is called in each platform"),
            page("prove/since", "Changes since", "What is otherwise since the house was proven"),
            page(
                "prove/router",
                "New router",
                "What drops off with a new router, and how it comes back",
            ),
        ],
    },
    WorkStage {
        name: "Handover",
        pages: &[
            page(
                "handover",
                "Handover",
                "For the household, the electrician and whoever comes next",
            ),
            page("links", "Links", "For people without an account"),
        ],
    },
    WorkStage {
        name: "What changed",
        pages: &[page(
            "journal",
            "What changed",
            "Every change of the plan and every entry of the record",
        )],
    },
];

/// Pages that stand in no row: each is opened from another, which is the one that is marked.
pub(crate) static OPENED_FROM: [(&str, &str); 7] = [
    ("choices", "devices"),
    ("assumptions", "schools"),
    ("install/work", "install"),
    ("prove/helps", "prove"),
    ("prove/report", "prove/acceptance"),
    ("walk", "prove/acceptance"),
    ("round", "prove"),
];

/// The stage and the page of an address under that of a job.
pub(crate) fn of_word(word: &str) -> Option<(&'static WorkStage, &'static JobPage)> {
    let from = OPENED_FROM.iter().find(|(page, _)| *page == word).map_or(word, |(_, from)| *from);
    STAGES.iter().find_map(|stage| {
        let page = stage.pages.iter().find(|page| page.word == from)?;
        Some((stage, page))
    })
}

/// The page where what a job needs is done.
pub(crate) const fn where_done(at: NeededAt) -> &'static str {
    match at {
        NeededAt::Brief => "brief",
        NeededAt::Plan => "survey",
        NeededAt::PointSheet => "sheet",
        NeededAt::Devices => "devices",
        NeededAt::BoxesToOpen => "previsit",
        NeededAt::Offer => "bill",
        NeededAt::Visits => "install",
        NeededAt::Acceptance => "prove/acceptance",
        NeededAt::Handover => "handover",
    }
}

/// All pages, in the order of the work.
pub(crate) fn all() -> impl Iterator<Item = &'static JobPage> {
    STAGES.iter().flat_map(|stage| stage.pages)
}
