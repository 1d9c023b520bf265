// Small houses, each of one job: a storey, a panel, a hub on a shelf, boxes with what somebody found in them.

const TESTED = { by: "Ines Calder", with: "two-pole tester, shown to work before and after", at: "2026-02-11T09:40:00Z" };
export const [LINE, NEUTRAL, EARTH] = [{ colour: "brown" }, { colour: "blue" }, { colour: "green-yellow" }];

/** A conductor of a box. */
export const core = (id, found, from, more = {}) => ({ id, size: "1.5 mm²", found, from, ...more });

/** A circuit whose breaker was proven, and of which everything is known. */
export const circuit = (label, more = {}) => ({
  id: `c${label}`, label, residual: "protected", rated_a: 10, poles: 1, volts: 230, size: "1.5 mm²", shared_neutral: false,
  proven: { label, ...TESTED }, ...more,
});

/** A box that was opened and looked into. */
export const box = (id, name, at, more = {}) => ({
  id, name, room: "House", floor: "g", at, height_m: 1.1, kind: "switch", box: "plastic", depth_mm: 60, volume_cm3: 500,
  gangs: 1, gang: 1, neutral: "tested", earth: "conductor", circuit: "4", known: "measured", feed: "always",
  mounting: "open", clamps: false, ...more,
});

/** Lamps that are known to the last. */
export const lamps = (id, at, more = {}) => ({
  id, name: `Lamps of ${id}`, switched_at: at, kind: "led", count: 4, watts: 9, dimmable: true, tried: "benched", inrush_a: 2,
  ...more,
});

export const device = (id, name, point, kind, more = {}) => ({ id, name, point, kind, network: "mesh", ...more });

/** A job file of a house with a hub that is in reach of all its boxes. */
export function house(name, { points, loads = [], groups = [], devices, circuits = [circuit("4")], kinds = [], ...more }) {
  return {
    format: "dot-reach-job", version: 2,
    site: {
      job: { name, region: "eu", confidence: 0.9 },
      floors: [{ id: "g", name: "Ground floor", elevation_m: 0, height_m: 2.5 }],
      walls: [["w1", [0, 0], [9, 0]], ["w2", [9, 0], [9, 7]], ["w3", [9, 7], [0, 7]], ["w4", [0, 7], [0, 0]]].map(([id, a, b]) => ({
        id, floor: "g", a, b, construction: "brick-215",
      })),
      people: [
        { id: "ines", name: "Ines Calder", part: "electrician", may_mains: true, licence: "LM-2041" },
        { id: "ada", name: "Ada Rowe", part: "household" },
      ],
      circuits,
      points: [
        {
          id: "shelf", name: "Shelf", room: "House", floor: "g", at: [4, 4], height_m: 1, kind: "shelf", known: "measured",
          mounting: "open",
        },
        {
          id: "panel", name: "Meter and panel", room: "House", floor: "g", at: [0.5, 6], height_m: 1.5, kind: "bare-wall",
          known: "measured",
        },
        ...points,
      ],
      loads, groups,
      networks: [{ id: "mesh", name: "House mesh", system: "zigbee" }],
      devices: [device("hub", "Hub", "shelf", "hub"), ...devices],
      ...(kinds.length > 0 ? { kinds } : {}),
      ...more,
    },
  };
}

export const single = (feed, lamp = "lamp") => [
  core("l", "line", feed, { old_terminal: "1", colour: "brown" }), core("n", "neutral", feed, NEUTRAL),
  core("e", "earth", feed, EARTH), core("s", "switched", lamp, { old_terminal: "2", colour: "black" }),
  core("m", "neutral", lamp, NEUTRAL), core("f", "earth", lamp, EARTH),
];

/** A stair pair: line comes in at the foot, the load leaves at the top. */
const stair = (foot, top) => ({
  points: [
    box("foot", "Stair foot", [2, 2], {
      conductors: [
        core("l", "line", "panel", { old_terminal: "common", colour: "brown" }), core("n", "neutral", "panel", NEUTRAL),
        core("a", "traveller", "Stair top", { old_terminal: "1", colour: "black" }),
        core("b", "traveller", "Stair top", { old_terminal: "2", colour: "grey" }),
        core("m", "neutral", "Stair top", NEUTRAL), core("e", "earth", "panel", { count: 2, colour: "green-yellow" }),
      ],
    }),
    box("top", "Stair top", [7, 2], {
      conductors: [
        core("a", "traveller", "Stair foot", { old_terminal: "1", colour: "grey" }),
        core("b", "traveller", "Stair foot", { old_terminal: "2", colour: "black" }),
        core("n", "neutral", "Stair foot", NEUTRAL),
        core("s", "switched", "lamp", { old_terminal: "common", colour: "brown" }), core("m", "neutral", "lamp", NEUTRAL),
        core("e", "earth", "lamp", { count: 2, colour: "green-yellow" }),
      ],
    }),
  ],
  groups: [{ id: "stair", name: "Stair", places: ["foot", "top"], wiring: { layout: "boxes", line: "foot", load: "top" } }],
  loads: [lamps("stair-lamps", "top")],
  devices: [...foot, ...top],
});

/** The jobs, by what they are. */
export const HOUSES = {
  /** A toggle switch of a house in which two breakers share a neutral that nobody knew of. */
  "live-neutral": () => house("Thorn Lodge", {
    points: [box("hall", "Hall", [2, 2], { conductors: single("panel") })],
    loads: [lamps("hall-lamps", "hall")],
    devices: [device("hall-switch", "Hall switch", "hall", "switch-neutral")],
  }),
  /** A stair pair with a unit in the line box that takes the plain switch of the far place. */
  "stair-plain": () => house("Weir House", stair(
    [device("unit", "Stair unit", "foot", "switch-plain-far")], [device("plain", "Stair plain", "top", "switch-plain")],
  )),
  /** A master where the load leaves, and its follower by wire where line comes in. */
  "stair-companion": () => house("Sedge House", stair(
    [device("companion", "Stair companion", "foot", "companion-wired")], [device("unit", "Stair unit", "top", "switch-neutral")],
  )),
  /** A third switch into a box with two that stay; the neutral of another circuit passes behind. */
  "third-switch": () => house("Alder Row", {
    circuits: [circuit("4"), circuit("6")],
    points: [box("kitchen", "Kitchen", [3, 2], {
      gangs: 3, gang: 3, depth_mm: 60,
      stays: [{ id: "one", what: "switch", gang: 1, depth_mm: 22 }, { id: "two", what: "switch", gang: 2, depth_mm: 22 }],
      conductors: [
        ...single("panel").map((c) => ({ ...c, gang: ["s", "m"].includes(c.id) ? 3 : 0, circuit: c.id.match(/[lnsm]/) ? "4" : "" })),
        core("s1", "switched", "wall lamps", { gang: 1, circuit: "4", colour: "white" }),
        core("s2", "switched", "sink lamps", { gang: 2, circuit: "4", colour: "red" }),
        core("fl", "line", "passes to the utility", { circuit: "6", colour: "brown" }),
        core("fn", "neutral", "passes to the utility", { circuit: "6", colour: "blue" }),
        core("gl", "line", "panel", { circuit: "6", colour: "brown" }), core("gn", "neutral", "panel", { circuit: "6", colour: "blue" }),
      ],
    })],
    loads: [lamps("kitchen-lamps", "kitchen")],
    devices: [device("kitchen-switch", "Kitchen switch", "kitchen", "switch-slim")],
  }),
  /** The first dimmer, in a crowded old metal box. */
  "crowded": () => house("Quarry Cottage", {
    points: [box("den", "Den", [2, 3], {
      box: "metal", earth: "conductor", depth_mm: 62,
      conductors: [...single("panel"), core("l2", "line", "on to the landing", LINE), core("n2", "neutral", "on to the landing", NEUTRAL)],
    }),
    box("landing", "Landing sockets", [6, 5], { kind: "socket", fed_through: "den", height_m: 0.3 })],
    loads: [lamps("den-lamps", "den")],
    devices: [device("den-dimmer", "Den dimmer", "den", "dimmer-slim")],
  }),
  /** An outlet of which one half is controlled, and which feeds others on. */
  "half-outlet": () => house("Pear Court", {
    points: [box("socket", "Sitting room socket", [3, 1], {
      kind: "socket", height_m: 0.3,
      conductors: [
        core("l", "line", "panel", LINE), core("n", "neutral", "panel", NEUTRAL), core("e", "earth", "panel", EARTH),
        core("l2", "line", "on to the desk", LINE), core("n2", "neutral", "on to the desk", NEUTRAL),
      ],
    }),
    box("desk", "Desk socket", [6, 1], { kind: "socket", height_m: 0.3, fed_through: "socket" })],
    loads: [{ ...lamps("floor-lamp", "socket"), kind: "outlet", count: 1, watts: 40 }],
    devices: [device("half", "Socket unit", "socket", "socket-flush")],
  }),
  /** A relay of two channels behind an outdoor outlet: a pump and lamps. */
  "two-channels": () => house("Marsh End", {
    points: [box("yard", "Yard outlet", [8.5, 3], {
      kind: "outdoor", weather_cover: true, depth_mm: 70,
      conductors: [
        core("l", "line", "panel", LINE), core("n", "neutral", "panel", NEUTRAL), core("e", "earth", "panel", EARTH),
        core("s1", "switched", "pump", { colour: "black" }), core("s2", "switched", "yard-lamps", { colour: "grey" }),
        core("m1", "neutral", "pump", NEUTRAL), core("m2", "neutral", "lamps", NEUTRAL),
      ],
    })],
    loads: [
      { ...lamps("pump", "yard"), kind: "motor", count: 1, watts: 60, channel: 1, inrush_a: 3, dimmable: false },
      { ...lamps("yard-lamps", "yard"), channel: 2 },
    ],
    devices: [device("yard-relay", "Yard relay", "yard", "relay-double")],
  }),
  /** Two gangs, two lamps, two units: one with neutral. */
  "two-gangs": () => house("Barley Hill", {
    points: [
      box("door", "By the door", [2, 2], {
        gangs: 2, gang: 1,
        conductors: [
          core("l", "line", "panel", LINE), core("n", "neutral", "panel", NEUTRAL), core("e", "earth", "panel", EARTH),
          core("s1", "switched", "lamp", { gang: 1, colour: "black" }), core("m1", "neutral", "lamp", { gang: 1, colour: "blue" }),
          core("s2", "switched", "lamp", { gang: 2, colour: "grey" }), core("m2", "neutral", "lamp", { gang: 2, colour: "blue" }),
        ],
      }),
      { ...box("door2", "By the door, right", [2, 2], { in_box_of: "door", gang: 2, gangs: 0 }) },
    ],
    loads: [lamps("left-lamps", "door"), lamps("right-lamps", "door2")],
    devices: [device("left", "Left unit", "door", "switch-slim"), device("right", "Right unit", "door2", "switch-slim")],
  }),
  /** A relay inside a table lamp whose own switch goes on working. */
  "lamp-relay": () => house("Wick Cottage", {
    points: [{
      id: "lamp", name: "Table lamp", room: "House", floor: "g", at: [6, 4], height_m: 0.8, kind: "shelf", known: "measured",
      mounting: "open", feed: "cord", circuit: "4", stays: [{ id: "own", what: "switch", kept_as: "signal", rated_a: 2 }],
    }],
    loads: [lamps("table-lamp", "lamp", { count: 1, watts: 8 })],
    devices: [device("relay", "Table lamp relay", "lamp", "relay-in-lamp", { stays_on: true })],
  }),
  /** Two versions of a switch of two keys, one spare, and a remote that is turned and tapped. */
  "spare-key": () => house("Heron House", {
    points: [
      box("hall", "Hall", [2, 2], { conductors: [
        core("l", "line", "panel", LINE), core("n", "neutral", "panel", NEUTRAL), core("e", "earth", "panel", EARTH),
        core("s1", "switched", "hall-lamps", { colour: "black" }), core("m1", "neutral", "hall-lamps", NEUTRAL),
      ] }),
      box("study", "Study", [7, 2], { neutral: "absent", conductors: [
        core("l", "line", "panel", LINE), core("e", "earth", "panel", EARTH),
        core("s1", "switched", "desk-lamps", { colour: "black" }), core("s2", "switched", "shelf-lamps", { colour: "grey" }),
      ] }),
      { id: "table", name: "Coffee table", room: "House", floor: "g", at: [5, 5], height_m: 0.5, kind: "bare-wall", known: "measured" },
    ],
    loads: [
      lamps("hall-lamps", "hall", { channel: 1 }), lamps("desk-lamps", "study", { channel: 1 }),
      lamps("shelf-lamps", "study", { channel: 2 }),
    ],
    devices: [
      device("hall-unit", "Hall unit", "hall", "switch-double"), device("study-unit", "Study unit", "study", "switch-double-two-wire"),
      device("turner", "Turned remote", "table", "remote-gesture"),
    ],
    controls: [
      { id: "k1", controller: "hall-unit", load: "study-unit", path: "hub", key: 2 },
      { id: "k2", controller: "turner", load: "hall-unit", path: "hub", gesture: "turned left" },
      { id: "k3", controller: "turner", load: "study-unit", path: "hub", gesture: "tapped twice" },
    ],
  }),
  /** Dimmers of a mesh that a phone keeps: one master with two followers, and one without a neutral by itself. */
  "phone-mesh": () => {
    const job = house("Sorrel Lodge", {
      points: [
        box("foot", "Stair foot", [2, 2], { conductors: [
          core("l", "line", "panel", { old_terminal: "common", colour: "brown" }), core("n", "neutral", "panel", NEUTRAL),
          core("e", "earth", "panel", EARTH), core("a", "traveller", "Landing", { old_terminal: "1", colour: "black" }),
          core("b", "traveller", "Landing", { old_terminal: "2", colour: "grey" }), core("m", "neutral", "Landing", NEUTRAL),
        ] }),
        box("landing", "Landing", [5, 2], { conductors: [
          core("a", "traveller", "Stair foot", { old_terminal: "1", colour: "black" }),
          core("b", "traveller", "Stair foot", { old_terminal: "2", colour: "grey" }), core("n", "neutral", "Stair foot", NEUTRAL),
          core("c", "traveller", "Attic", { old_terminal: "3", colour: "black" }),
          core("d", "traveller", "Attic", { old_terminal: "4", colour: "grey" }), core("m", "neutral", "Attic", NEUTRAL),
        ] }),
        box("attic", "Attic", [8, 2], { conductors: [
          core("c", "traveller", "Landing", { old_terminal: "1", colour: "black" }),
          core("d", "traveller", "Landing", { old_terminal: "2", colour: "grey" }), core("n", "neutral", "Landing", NEUTRAL),
          core("s", "switched", "lamp", { old_terminal: "common", colour: "brown" }), core("m", "neutral", "lamp", NEUTRAL),
        ] }),
        box("study", "Study", [3, 5], { neutral: "absent", conductors: [
          core("l", "line", "panel", LINE), core("e", "earth", "panel", EARTH), core("s", "switched", "lamp", { colour: "black" }),
        ] }),
      ],
      groups: [{
        id: "stair", name: "Stair", places: ["foot", "landing", "attic"],
        wiring: { layout: "boxes", line: "foot", load: "attic" },
      }],
      loads: [lamps("stair-lamps", "attic"), lamps("study-lamps", "study")],
      devices: [
        device("master", "Stair master", "attic", "phone-dimmer-master"),
        device("one", "Foot follower", "foot", "phone-dimmer-follower"),
        device("two", "Landing follower", "landing", "phone-dimmer-follower"),
        device("alone", "Study dimmer", "study", "phone-dimmer-two-wire"),
      ],
    });
    job.site.networks[0].system = "bluetooth";
    job.site.devices = job.site.devices.filter((d) => d.id !== "hub");
    return job;
  },
  /** A box in which two conductors look alike: the power comes on to find out which is which. */
  "find-lines": () => house("Tansy House", {
    points: [box("porch", "Porch", [2, 2], { conductors: single("panel").map((c) => (c.id === "s" ? { ...c, found: "unknown" } : c)) })],
    loads: [lamps("porch-lamps", "porch")],
    devices: [device("porch-switch", "Porch switch", "porch", "switch-neutral")],
  }),
  /** One switch in a known box; hub and plug have run for years. */
  "beside-a-hub": () => {
    const job = house("Fern Cottage", {
      points: [
        box("hall", "Hall", [2, 2], { conductors: single("panel") }),
        {
          id: "socket", name: "Hall socket", room: "House", floor: "g", at: [3, 3], height_m: 0.3, kind: "socket",
          known: "seen", mounting: "open", feed: "always",
        },
      ],
      loads: [lamps("hall-lamps", "hall")],
      devices: [
        device("plug", "Hall plug", "socket", "plug-socket", { already_there: "yes" }),
        device("hall-switch", "Hall switch", "hall", "switch-neutral"),
      ],
    });
    job.site.devices[0].already_there = "yes";
    return job;
  },
  /** A switch without neutral and a button of a tenant, beside a hub that runs. */
  rented: () => {
    const job = house("Quay Court 5", {
      points: [
        box("hall", "Hall", [2, 2], {
          neutral: "absent", conductors: [
            core("l", "line", "panel", { old_terminal: "1", colour: "brown" }),
            core("s", "switched", "lamp", { old_terminal: "2", colour: "black" }),
            core("e", "earth", "panel", EARTH),
          ],
        }),
        {
          id: "bed", name: "Bedside", room: "House", floor: "g", at: [6, 5], height_m: 0.6, kind: "shelf", known: "seen",
          mounting: "open",
        },
      ],
      loads: [lamps("hall-lamps", "hall")],
      devices: [
        device("hall-switch", "Hall switch", "hall", "switch-two-wire"),
        device("button", "Bedside button", "bed", "remote-battery"),
      ],
      controls: [{ id: "c1", controller: "button", load: "hall-switch", path: "hub" }],
    });
    job.site.devices[0].already_there = "yes";
    return job;
  },
  /** Four rooms and a hub that runs; what it lists is on no plan yet. */
  forty: () => {
    const job = house("Alder House", { points: [], devices: [] });
    const room = (id, name, x, y) => ({ id, name, floor: "g", outline: [[x, y], [x + 4.5, y], [x + 4.5, y + 3.5], [x, y + 3.5]] });
    job.site.rooms = [
      room("hall", "Hall", 0, 0), room("kitchen", "Kitchen", 4.5, 0),
      room("study", "Study", 0, 3.5), room("parlour", "Parlour", 4.5, 3.5),
    ];
    job.site.devices[0].already_there = "yes";
    return job;
  },
};

if (process.argv[1]?.endsWith("houses.mjs") && process.argv[2]) console.log(JSON.stringify(HOUSES[process.argv[2]]()));
