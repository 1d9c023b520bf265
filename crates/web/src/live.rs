//! The live channel of one open job: previews while something is dragged, snapping while a wall is
//! drawn, long work that a page waits for, and news of edits made elsewhere.

use std::collections::BTreeSet;
use std::sync::Arc;
use std::time::Duration;

use actix_web::{HttpRequest, HttpResponse, get, rt, web};
use actix_ws::{AggregatedMessage, Session};
use dot_reach_core::draw::shift::{self, End};
use dot_reach_core::draw::snap::{Aim, Snapped, SnappedTo, direction};
use dot_reach_core::geometry::{Vec2, apart};
use dot_reach_core::site::{Edit, FloorId, Site, Spot, WallId, Wrong, apply};
use dot_reach_core::speech::{LengthField, speaking};
use dot_reach_core::units::{Metres, typographic};
use dot_reach_store::StoreError;
use futures_util::StreamExt;
use serde::Deserialize;
use serde_json::{Value, json};
use tokio::sync::broadcast::error::RecvError;
use tokio::sync::mpsc::{Receiver, Sender, channel};

use crate::desk::{Bench, Slot};
use crate::door::{AskedJob, For, See};
use crate::error::WebError;
use crate::metrics::Metrics;
use crate::pages::{advice, hub, reach};
use crate::presence::Attending;
use crate::work::{Asker, Ticket};

/// The largest message of a page.
const MOST_BYTES: usize = 256 * 1024;
/// How often a page that says nothing is asked whether it is still there.
const HEARTBEAT: Duration = Duration::from_secs(20);
/// How many tidings of long work wait for a slow page.
const MOST_TIDINGS: usize = 16;

/// What a page asks.
#[derive(Deserialize)]
#[serde(tag = "ask", rename_all = "kebab-case")]
enum Ask {
    /// The Reach page as it would be after an edit that is not made; without the ground of the plan while a hand still moves.
    Preview {
        seq: u64,
        edit: Box<Edit>,
        view: reach::Query,
        #[serde(default)]
        moves: bool,
    },
    /// Draw many houses: how sure is each device, and are all.
    Chances { view: reach::Query },
    /// Score every place where the hub of a network could stand.
    HubPlaces {
        network: String,
        #[serde(default)]
        radios: String,
        #[serde(default)]
        spots: String,
    },
    /// Look for the least that is enough.
    Advice { view: advice::Query },
    /// Stop waiting for long work.
    Stop,
    /// Which revision is the newest: asked after a channel was lost.
    Revision,
    /// Where a drawn place comes to lie.
    Snap {
        seq: u64,
        #[serde(flatten)]
        hand: Hand,
    },
    /// Where walls would stand after a drag that goes on: of one end, or of what is chosen.
    Drag {
        seq: u64,
        #[serde(flatten)]
        hand: Hand,
        drag: Dragged,
    },
}

/// A hand on the sheet, and what was typed.
#[derive(Deserialize)]
struct Hand {
    floor: FloorId,
    at: Spot,
    /// Where the wall being drawn starts, and where its run of walls does.
    #[serde(default)]
    start: Option<Spot>,
    #[serde(default)]
    run: Option<Spot>,
    /// The typed length of the wall, or the typed sides of the rectangle, as they were typed.
    #[serde(default)]
    length: String,
    #[serde(default)]
    sides: Option<[String; 2]>,
    #[serde(default)]
    angle_deg: Option<f64>,
    reach_m: Metres,
}

/// A length that was typed, of something that is drawn.
fn positive(text: &str) -> Option<Metres> {
    LengthField::Metres.read(text).filter(|m| *m > 0.0).map(Metres::new)
}

/// What is being dragged.
#[derive(Deserialize)]
#[serde(tag = "what", rename_all = "kebab-case")]
enum Dragged {
    /// One end of a wall, to where the hand comes to lie.
    End { wall: WallId, end: End },
    /// Walls and points, by a way.
    Chosen {
        #[serde(default)]
        walls: BTreeSet<WallId>,
        by: Spot,
    },
}

/// The page at the other end.
#[derive(Deserialize)]
pub(crate) struct Opened {
    /// What tells its window from others.
    #[serde(default)]
    client: String,
    /// The stage that it is of.
    #[serde(default)]
    at: String,
}

#[get("/jobs/{job}/live")]
pub(crate) async fn live(
    request: HttpRequest,
    For(job, (body, opened), ..): For<See, (web::Payload, web::Query<Opened>)>,
) -> Result<HttpResponse, actix_web::Error> {
    let (response, session, stream) = actix_ws::handle(&request, body)?;
    let stream = stream.max_frame_size(MOST_BYTES).aggregate_continuations();
    let Opened { client, at } = opened.into_inner();
    let person = &job.caller.person;
    let who = if person.is_named() { person.who.as_str() } else { "" };
    let stay = job.app.presence.enter(&job.id, who, &at, &client);
    rt::spawn(talk(job, stay, session, stream.max_continuation_size(MOST_BYTES)));
    Ok(response)
}

async fn talk(
    job: AskedJob,
    stay: Attending,
    mut session: Session,
    mut stream: actix_ws::AggregatedMessageStream,
) {
    Metrics::count(&job.app.metrics.channels);
    let mut news = job.app.listen();
    let presence = Arc::clone(&job.app.presence);
    let (mut comings, mut departures) = (presence.listen(), job.app.departures());
    let here = || json!({ "tell": "here", "others": presence.others(&stay) }).to_string();
    if session.text(here()).await.is_err() {
        Metrics::less(&job.app.metrics.channels);
        return;
    }
    let (mut page, mut tidings) = Page::of(job);
    let mut beat = tokio::time::interval(HEARTBEAT);
    let mut heard = true;
    loop {
        let text = tokio::select! {
            told = news.recv() => match told {
                Ok(told) if told.job == page.job.id => json!({
                    "tell": "revision", "revision": told.revision,
                    "client": told.client, "who": told.who,
                }).to_string(),
                Ok(_) => continue,
                // A page that fell behind looks at the newest revision.
                Err(RecvError::Lagged(_)) => json!({ "tell": "revision" }).to_string(),
                Err(RecvError::Closed) => break,
            },
            of = comings.recv() => match of {
                Ok(of) if of == stay.job => here(),
                Ok(_) => continue,
                Err(RecvError::Lagged(_)) => here(),
                Err(RecvError::Closed) => break,
            },
            away = departures.recv() => match away {
                // Whoever fell behind asks anew who they are.
                Ok(away) if !page.job.caller.is_sent_away(&away) => continue,
                _ => {
                    // The page is told why, where it still hears.
                    let _gone = session.text(json!({ "tell": "sent-away" }).to_string()).await;
                    break;
                }
            },
            Some(told) = tidings.recv() => told,
            _ = beat.tick() => {
                // A phone that sleeps answers no ping: its task ends with the second.
                if !heard || session.ping(b"").await.is_err() { break }
                heard = false;
                continue;
            }
            message = stream.next() => {
                heard = true;
                match message {
                    Some(Ok(AggregatedMessage::Text(text))) => match page.answer(&text).await {
                        Some(told) => told,
                        None => continue,
                    },
                    Some(Ok(AggregatedMessage::Ping(bytes))) => {
                        if session.pong(&bytes).await.is_err() { break }
                        continue;
                    }
                    Some(Ok(AggregatedMessage::Close(_)) | Err(_)) | None => break,
                    Some(Ok(_)) => continue,
                }
            },
        };
        if session.text(text).await.is_err() {
            break;
        }
    }
    page.stop();
    Metrics::less(&page.job.app.metrics.channels);
    // The page has gone already when closing fails.
    let _gone = session.close(None).await;
}

/// A page at the other end of a channel.
struct Page {
    job: AskedJob,
    /// Where its previews are worked out, apart from what others start from.
    bench: Option<Bench>,
    teller: Sender<String>,
    waits: Option<rt::task::JoinHandle<()>>,
    ticket: Option<Arc<Ticket>>,
}

impl Page {
    fn of(job: AskedJob) -> (Self, Receiver<String>) {
        let (teller, tidings) = channel(MOST_TIDINGS);
        (Self { job, bench: None, teller, waits: None, ticket: None }, tidings)
    }

    async fn answer(&mut self, text: &str) -> Option<String> {
        let ask: Ask = match serde_json::from_str(text) {
            Ok(ask) => ask,
            Err(error) => {
                return Some(json!({ "tell": "error", "message": error.to_string() }).to_string());
            }
        };
        let answer = match ask {
            Ask::Preview { seq, edit, view, moves } => self
                .preview(&edit, view, moves)
                .await
                .map(|html| json!({ "tell": "preview", "seq": seq, "html": html })),
            Ask::Snap { seq, hand } => {
                let job = self.job.renewed().await;
                job.map(|job| speaking(job.speech(), || snapped(&job.site, seq, hand)))
            }
            Ask::Drag { seq, hand, drag } => {
                let job = self.job.renewed().await;
                job.map(|job| speaking(job.speech(), || dragged(&job.site, seq, hand, &drag)))
            }
            Ask::Revision => {
                let job = self.job.renewed().await;
                job.map(|job| json!({ "tell": "revision", "revision": job.revision }))
            }
            Ask::Stop => {
                if let Some(ticket) = &self.ticket {
                    ticket.stop();
                }
                return None;
            }
            Ask::Chances { .. } | Ask::HubPlaces { .. } | Ask::Advice { .. } => {
                match self.begin(ask).await {
                    Ok(()) => return None,
                    Err(error) => Err(error),
                }
            }
        };
        let told =
            answer.unwrap_or_else(|error| json!({ "tell": "error", "message": error.message() }));
        Some(told.to_string())
    }

    /// Begins long work, or joins who waits for it already.
    async fn begin(&mut self, ask: Ask) -> Result<(), WebError> {
        let job = self.job.renewed().await?;
        let ticket = match ask {
            Ask::Chances { view } => reach::chances_ticket(&job, &view),
            Ask::HubPlaces { network, radios, spots } => {
                hub::ticket(&job, &network, hub::search(&radios, &spots)).await?
            }
            Ask::Advice { view } => advice::ticket(&job, &view).await?,
            _ => return Ok(()),
        };
        self.wait_for(ticket);
        Ok(())
    }

    async fn preview(
        &mut self,
        edit: &Edit,
        view: reach::Query,
        moves: bool,
    ) -> Result<String, WebError> {
        let job = self.job.renewed().await?;
        let mut site = Site::clone(&job.site);
        apply(&mut site, edit).map_err(StoreError::Refused)?;
        let site = Arc::new(site);
        let options = reach::options(&view);
        let mut bench = match self.bench.take() {
            Some(bench) => bench,
            None => job.app.desk.bench(&job.id, &job.site, &options),
        };
        let (id, record) = (job.id.clone(), Arc::clone(&job.record));
        let asker = Asker::default();
        let _stay = asker.stays();
        bench = bench.for_asker(asker);
        let work = move || {
            let html = reach::parts(&mut bench, &id, (&site, &record), &view, moves);
            (bench, html)
        };
        let (bench, html) = job.compute(work).await?;
        job.app.desk.keep(&job.id, Slot::Preview, bench.clone());
        self.bench = Some(bench);
        html
    }

    /// Tells the page how far long work is, and when it is over.
    fn wait_for(&mut self, ticket: Arc<Ticket>) {
        self.stop();
        let (teller, waiting) = (self.teller.clone(), ticket.wait());
        self.ticket = Some(ticket);
        self.waits = Some(rt::spawn(async move {
            let mut last = (usize::MAX, 0);
            while !waiting.0.is_over() {
                let (done, of) = waiting.0.progress();
                if (done, of) != last && of > 0 {
                    last = (done, of);
                    let told = json!({ "tell": "working", "done": done, "of": of });
                    // A page that has gone hears nothing and needs nothing.
                    if teller.send(told.to_string()).await.is_err() {
                        return;
                    }
                }
                waiting.news().await;
            }
            let told = json!({ "tell": "worked", "found": waiting.0.found().is_some() });
            let _gone = teller.send(told.to_string()).await;
        }));
    }

    fn stop(&mut self) {
        if let Some(waits) = self.waits.take() {
            waits.abort();
        }
        self.ticket = None;
    }
}

fn snapped(site: &Site, seq: u64, hand: Hand) -> Value {
    let (start, run, wrong) = (hand.start, hand.run, hand.wrong());
    let Snapped { at, to, from_corner } = hand.aim().snapped(site);
    let metres = |m: Metres| format!("{m:.2}");
    let corner = from_corner.map(|(m, side)| format!("{m:.2} from the {} corner", side.name()));
    // A run of walls is over where it meets its beginning or what stood there before it.
    let closes = start.is_some_and(|start| apart(start, at) > 0.0)
        && (run.is_some_and(|run| apart(run, at) <= 0.0)
            || matches!(to, SnappedTo::Wall | SnappedTo::WallEnd));
    json!({
        "tell": "snap", "seq": seq, "at": at, "to": corner.as_deref().unwrap_or(to.name()),
        "length": start.map(|start| Metres::new(apart(start, at))).map(metres),
        "angle": start.map(|start| format!("{}°", typographic(direction(start, at), 0))),
        "sides": start.map(|[x, y]| {
            let side = |m: f64| metres(Metres::new(m.abs()));
            format!("{} × {}", side(at[0] - x), side(at[1] - y))
        }),
        "closes": closes, "wrong": wrong,
    })
}

fn dragged(site: &Site, seq: u64, hand: Hand, drag: &Dragged) -> Value {
    let (at, moved) = match drag {
        Dragged::End { wall: id, end } => {
            let Some(wall) = site.walls.get(id) else {
                return json!({ "tell": "drag", "seq": seq });
            };
            let other = if *end == End::A { wall.b } else { wall.a };
            let but = shift::held_by_end(site, wall, *end);
            let aim = Aim { start: Some(other), but, ..hand.aim() };
            let at = aim.snapped(site).at;
            (at, shift::end_dragged(site, wall, *end, at))
        }
        Dragged::Chosen { walls, by: [x, y] } => {
            (hand.at, shift::walls_moved(site, walls, Vec2 { x: *x, y: *y }))
        }
    };
    let walls: Vec<_> = moved.values().collect();
    let longest = moved.values().map(|[a, b]| Metres::new(apart(*a, *b)));
    let length = longest.map(|m| format!("{m:.2}")).collect::<Vec<_>>();
    json!({ "tell": "drag", "seq": seq, "at": at, "walls": walls, "lengths": length })
}

impl Hand {
    fn aim(self) -> Aim {
        let length = positive(&self.length);
        let sides = self
            .sides
            .as_ref()
            .and_then(|[across, down]| Some((positive(across)?, positive(down)?)));
        let Self { floor, at, start, angle_deg: angle, reach_m: reach, .. } = self;
        Aim { length, sides, angle, reach, ..Aim::new(floor, at, start) }
    }

    /// What was typed and is no length, in words.
    fn wrong(&self) -> Option<String> {
        let sides = self.sides.iter().flatten();
        let typed = std::iter::once(&self.length).filter(|t| !t.trim().is_empty()).chain(sides);
        let wrong = typed.into_iter().find(|t| positive(t).is_none())?;
        Some(Wrong::NoLength { text: wrong.trim().to_owned() }.to_string())
    }
}
