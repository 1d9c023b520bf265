// Houses of further jobs: kits, and rooms where something has run for years. Names and numbers are invented.
import { EARTH, LINE, NEUTRAL, box, circuit, core, device, house, lamps, single } from "./houses.mjs";

/** A place for what stands, hangs or is stuck somewhere. */
const spot = (id, name, at, kind, more = {}) => ({
  id, name, room: "House", floor: "g", at, height_m: 1, kind, known: "seen", mounting: "open", ...more,
});

/** The same house without a new hub. */
function without(job, id) {
  job.site.devices = job.site.devices.filter((d) => d.id !== id);
  return job;
}

function hubThere(job, how = "yes") {
  job.site.devices[0].already_there = how;
  return job;
}

/** A house whose network is that of a kit, with its gateway in a box and its master on the wall. */
function kitHouse(name, { points = [], devices = [], loads = [], ...more }) {
  const job = without(house(name, {
    points: [
      box("cupboard", "Cupboard", [1.5, 5], { conductors: single("panel", "nothing").slice(0, 3) }),
      spot("door", "By the door", [4.5, 1], "bare-wall"),
      ...points,
    ],
    devices: [
      device("gateway", "Gateway", "cupboard", "kit-gateway"), device("master", "Door master", "door", "kit-master"), ...devices,
    ],
    loads, ...more,
  }), "hub");
  job.site.networks[0].system = "kit";
  return job;
}

const outlet = (id, name, at, more = {}) => box(id, name, at, {
  kind: "socket", height_m: 0.3, conductors: single("panel").slice(0, 3), ...more,
});

export const LIVED_IN = {
  /** A starter kit on the mains: a gateway in a box, an outlet, a dimmer with a capacitor, a master that opens. */
  "starter-kit": () => kitHouse("Juniper House", {
    points: [
      outlet("outlet", "Parlour outlet", [3, 2]),
      box("hall", "Hall", [6, 2], {
        neutral: "absent", conductors: [
          core("l", "line", "panel", { old_terminal: "1", colour: "brown" }),
          core("s", "switched", "lamp", { old_terminal: "2", colour: "black" }), core("e", "earth", "panel", EARTH),
        ],
      }),
    ],
    loads: [
      { ...lamps("floor-lamp", "outlet"), kind: "outlet", count: 1, watts: 40 },
      lamps("hall-lamp", "hall", { count: 1, watts: 4, bypass: "in the canopy of the lamp" }),
    ],
    devices: [
      device("parlour", "Parlour outlet", "outlet", "socket-flush"), device("hall-dimmer", "Hall dimmer", "hall", "kit-dimmer"),
    ],
    kits: [{
      id: "k1", name: "Starter kit", price: 220,
      contents: { "kit-gateway": 1, "socket-flush": 1, "kit-dimmer": 1, "kit-master": 1 },
    }],
  }),
  /** A kit of an outlet, a switch whose box is too shallow, and two wireless switches, each tied to its target. */
  "kit-tied": () => kitHouse("Rowan Court", {
    points: [
      outlet("outlet", "Desk outlet", [3, 2], { gangs: 2 }),
      box("porch", "Porch", [6, 2], { depth_mm: 30, volume_cm3: 200, conductors: single("panel") }),
      box("stair", "Stair", [7.5, 4], { conductors: single("panel") }),
      spot("bed", "Bedside", [6, 5], "bare-wall"), spot("desk", "Desk", [3, 3], "bare-wall"),
    ],
    loads: [
      { ...lamps("desk-lamp", "outlet"), kind: "outlet", count: 1, watts: 30 }, lamps("porch-lamps", "porch"),
      lamps("stair-lamps", "stair"),
    ],
    devices: [
      device("desk-outlet", "Desk outlet", "outlet", "socket-flush"), device("porch-switch", "Porch switch", "porch", "kit-switch"),
      device("stair-switch", "Stair switch", "stair", "kit-switch"), device("bed-key", "Bedside key", "bed", "remote-plate"),
      device("desk-key", "Desk key", "desk", "remote-plate"),
    ],
    controls: [
      { id: "c1", controller: "bed-key", load: "stair-switch", path: "direct" },
      { id: "c2", controller: "desk-key", load: "desk-outlet", path: "direct" },
    ],
  }),
  /** Before anything is bought: boxes that nobody has opened, a pair whose wires nobody knows, switches all alike. */
  "before-buying": () => house("Hazel Row", {
    points: [
      box("hall", "Hall", [2, 2], { neutral: "unknown", earth: "unknown", depth_mm: null, known: "guessed", conductors: [] }),
      box("foot", "Stair foot", [4, 2], { neutral: "unknown", depth_mm: null, known: "guessed", conductors: [] }),
      box("top", "Stair top", [7, 2], { neutral: "unknown", depth_mm: null, known: "guessed", conductors: [] }),
      outlet("outlet", "Parlour outlet", [3, 5], { neutral: "unknown", conductors: [] }),
    ].map(({ depth_mm: depth, ...p }) => (depth === null ? p : { ...p, depth_mm: depth })),
    groups: [{ id: "stair", name: "Stair", places: ["foot", "top"] }],
    loads: [lamps("hall-lamps", "hall"), lamps("stair-lamps", "top")],
    devices: [
      device("hall-switch", "Hall switch", "hall", "switch-neutral"), device("stair-switch", "Stair switch", "top", "switch-neutral"),
    ],
    platforms: [{ id: "voice", name: "Kitchen voice", way: "voice", required: true }],
  }),
  /** Another maker's switch goes, a mesh switch of two keys comes; its second key is for a lamp of another network. */
  "second-key": () => {
    const job = house("Linden Place", {
      points: [
        box("hall", "Hall", [2, 2], { conductors: single("panel") }),
        spot("lamp-place", "Reading lamp", [7, 5], "ceiling", { height_m: 2.2, feed: "always" }),
        spot("router", "Router shelf", [5, 6], "shelf"),
      ],
      loads: [lamps("hall-lamps", "hall", { channel: 1 })],
      devices: [
        device("hall-unit", "Hall unit", "hall", "switch-double"),
        device("border", "Border router", "router", "border-router", { network: "thread", already_there: "yes" }),
        device("reading", "Reading lamp", "lamp-place", "lamp", { network: "thread", already_there: "yes" }),
      ],
      controls: [{ id: "k2", controller: "hall-unit", load: "reading", path: "hub", key: 2 }],
      old_uses: [
        { id: "u1", device: "hall-unit", what: "rule", name: "Hall at dusk", place: "the old app", becomes: "pointed" },
        { id: "u2", device: "hall-unit", what: "account-entry", name: "Hall switch", place: "the old app", becomes: "deleted" },
      ],
    });
    job.site.networks.push({ id: "thread", name: "Lamps", system: "thread" });
    return hubThere(job);
  },
  /** A kit for somebody else: lamps of the porch, a bridge at the router, a remote at the door. */
  "porch-kit": () => {
    const job = without(house("Sycamore Bend", {
      points: [
        spot("router", "Router shelf", [4, 5], "shelf"), spot("left", "Porch left", [3, 1], "ceiling", { height_m: 2.2, feed: "always" }),
        spot("right", "Porch right", [6, 1], "ceiling", { height_m: 2.2, feed: "always" }),
        spot("door", "By the door", [4.5, 1], "bare-wall"),
      ],
      devices: [
        device("bridge", "Bridge", "router", "bridge-lamps"), device("lamp-left", "Porch lamp left", "left", "lamp-white"),
        device("lamp-right", "Porch lamp right", "right", "lamp-white"), device("remote", "Door remote", "door", "remote-battery"),
      ],
      controls: [
        { id: "c1", controller: "remote", load: "lamp-left", path: "hub" },
        { id: "c2", controller: "remote", load: "lamp-right", path: "hub" },
      ],
      kits: [{
        id: "k1", name: "Lamp kit", price: 115, contents: { "bridge-lamps": 1, "lamp-white": 3, "remote-battery": 1 },
      }],
    }), "hub");
    return job;
  },
  /** A bulky switch goes, a slim one comes and the ring before the box goes with it; the label of the breaker is wrong. */
  "slim-for-bulky": () => {
    const job = house("Elder Yard", {
      circuits: [circuit("4", { proven: { label: "6", by: "Ines Calder", with: "two-pole tester", at: "2026-02-11T09:40:00Z" } })],
      points: [box("hall", "Hall", [2, 2], { depth_mm: 45, volume_cm3: 350, conductors: single("panel") })],
      loads: [lamps("hall-lamps", "hall")],
      devices: [device("hall-switch", "Hall switch", "hall", "switch-slim", { replaces: "Hall old" })],
      old_uses: [{ id: "u1", device: "hall-switch", what: "rule", name: "Hall off at eleven", becomes: "pointed" }],
    });
    job.site.job.refused = ["extenders"];
    job.site.networks[0].system = "zwave";
    return hubThere(job);
  },
  /** A dimmer beside an older one in a box of two gangs, and two dimmers that are plugged in. */
  "beside-an-older": () => {
    const job = house("Maple End", {
      points: [
        box("den", "Den", [3, 2], {
          gangs: 2, gang: 2, volume_cm3: 700, stays: [{ id: "old", what: "switch", gang: 1, depth_mm: 24 }],
          conductors: [
            core("l", "line", "panel", { ...LINE, gang: 0 }), core("n", "neutral", "panel", { ...NEUTRAL, gang: 0 }),
            core("e", "earth", "panel", EARTH), core("s1", "switched", "wall lamps", { gang: 1, colour: "white" }),
            core("s2", "switched", "den lamps", { gang: 2, colour: "black" }), core("m", "neutral", "den lamps", NEUTRAL),
          ],
        }),
        spot("left", "Left of the sofa", [5, 3], "socket", { height_m: 0.3, feed: "always" }),
        spot("right", "Right of the sofa", [7, 3], "socket", { height_m: 0.3, feed: "always" }),
      ],
      loads: [lamps("den-lamps", "den")],
      devices: [
        device("den-dimmer", "Den dimmer", "den", "dimmer-star-neutral"),
        device("lamp-left", "Left lamp", "left", "plug-dimmer-star"), device("lamp-right", "Right lamp", "right", "plug-dimmer-star"),
      ],
    });
    job.site.networks[0].system = "star";
    return hubThere(job);
  },
  /** A house with three platforms, an addition, a lamp on the wrong line, and a builder who was asked for more. */
  "as-delivered": () => {
    const job = house("Aspen Rise", {
      points: [
        box("hall", "Hall", [2, 2], { depth_mm: 40, conductors: single("panel") }),
        box("stair", "Stair", [6, 2], { conductors: single("panel") }),
      ],
      loads: [lamps("hall-lamps", "hall"), lamps("niche", "stair", {
        name: "Niche lamps", facts: { switched_at: { how: "seen", by: "Ines Calder", at: "2026-02-11T09:40:00Z" } },
      })],
      devices: [
        device("hall-switch", "Hall switch", "hall", "switch-neutral"),
        device("stair-switch", "Stair switch", "stair", "switch-neutral", { already_there: "yes" }),
      ],
      controls: [{ id: "c1", controller: "stair-switch", load: "hall-switch", path: "hub", gesture: "two presses" }],
      platforms: [
        { id: "house", name: "House app", way: "hub", version: "7.2" },
        { id: "voice", name: "Kitchen voice", way: "voice", in_charge: true },
        { id: "tablet", name: "Wall tablet", way: "matter", purpose: "to look at" },
      ],
      add_ons: [{
        id: "a1", platform: "house", name: "Blinds", source: "a forum", version: "1.4", tried_under: "7.1",
      }],
      asked: [{
        id: "ask-hall", point: "hall", depth_mm: 47, neutral: true, earth: true, loads: { "hall-lamps": "Hall lamps", niche: "Niche lamps" },
      }],
      regroups: [{ id: "r1", load: "niche", with: "hall", cable_m: 5 }],
      emitters: [{
        id: "e1", name: "Router", floor: "g", at: [4, 5], height_m: 1, carrier: { kind: "wifi", channel: 6, width_mhz: 20 },
        tx_dbm: 19, busy: 0.2, of_the_house: true,
      }],
    });
    job.site.job.work = "new";
    job.site.job.currency = "EUR";
    return hubThere(job);
  },
  /** Everything is there: the key of a switch is freed for a lamp that has a radio of its own. */
  "freed-key": () => {
    const job = house("Willow Bank", {
      points: [
        box("hall", "Hall", [2, 2], { conductors: single("panel") }),
        spot("lamp-place", "Hall lamp", [4, 2], "ceiling", { height_m: 2.2, feed: "always" }),
      ],
      loads: [lamps("hall-lamp-wire", "hall", { count: 1 })],
      devices: [
        device("hall-switch", "Hall switch", "hall", "switch-neutral", { already_there: "tested" }),
        device("lamp", "Hall lamp", "lamp-place", "lamp", { already_there: "yes" }),
      ],
      controls: [{ id: "k1", controller: "hall-switch", load: "lamp", path: "hub" }],
    });
    return hubThere(job);
  },
  /** After a renovation: lamps in three groups, one worked from three places, a fan, floor lamps, remotes and sensors. */
  renovated: () => {
    const at = (n) => [1 + (n % 4) * 2, 1 + Math.floor(n / 4)];
    const places = ["Kitchen", "Dining", "Stair foot", "Stair mid", "Stair top", "Fan"];
    const id = (name) => name.toLowerCase().replaceAll(" ", "-");
    const boxes = places.map((name, n) => box(id(name), name, at(n), {
      conductors: name === "Stair mid"
        ? [core("a", "traveller", "Stair foot", LINE), core("b", "traveller", "Stair top", LINE), core("n", "neutral", "panel", NEUTRAL)]
        : single("panel"),
    }));
    const plugs = ["Reading corner", "Window", "Landing"].map((name, n) => spot(id(name), name, [2 + n * 2, 5], "socket", {
      height_m: 0.3, feed: "always",
    }));
    const walls = ["Bedside left", "Bedside right", "Desk", "Door", "Bath", "Cellar", "Garden door"].map((name, n) => spot(
      id(name), name, [1 + n, 6], "bare-wall",
    ));
    const job = house("Ash Grove", {
      points: [...boxes, ...plugs, ...walls],
      groups: [{
        id: "stair", name: "Stair", places: ["stair-foot", "stair-mid", "stair-top"],
        wiring: { layout: "boxes", line: "stair-foot", load: "stair-top" },
      }],
      loads: [
        lamps("kitchen-lamps", "kitchen", { count: 5 }), lamps("dining-lamps", "dining", { count: 3 }),
        lamps("stair-lamps", "stair-top"), { ...lamps("fan", "fan"), kind: "fan", count: 1, watts: 60, dimmable: false },
      ],
      devices: [
        device("kitchen-d", "Kitchen dimmer", "kitchen", "dimmer-star-neutral"),
        device("dining-d", "Dining dimmer", "dining", "dimmer-star-neutral"),
        device("stair-d", "Stair dimmer", "stair-foot", "dimmer-star-neutral"),
        device("stair-r1", "Stair mid remote", "stair-mid", "remote-plate"),
        device("stair-r2", "Stair top remote", "stair-top", "remote-plate"),
        device("fan-c", "Fan control", "fan", "fan-control-star"),
        ...plugs.map((p) => device(`${p.id}-p`, `${p.name} plug`, p.id, "plug-dimmer-star")),
        ...walls.map((p) => device(`${p.id}-r`, `${p.name} remote`, p.id, "remote-four")),
      ],
    });
    job.site.networks[0].system = "star";
    return job;
  },
};

if (process.argv[1]?.endsWith("houses_lived_in.mjs") && process.argv[2]) console.log(JSON.stringify(LIVED_IN[process.argv[2]]()));
