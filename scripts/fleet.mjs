// The drill of scripts/fleet. Bounded: some forty seconds of work, on loopback, in a folder of its own that goes with it.
import { execFileSync, spawn } from "node:child_process";
import fs from "node:fs";
import http from "node:http";
import net from "node:net";
import os from "node:os";
import path from "node:path";
import { setTimeout as pause } from "node:timers/promises";

const BINARY = process.env.DOT_REACH ?? "target/release/dot-reach";
const LITESTREAM = process.env.LITESTREAM ?? "litestream";
const SHELVES = ["a", "b"];
const FIRMS_A_SHELF = 100;
const PEOPLE_A_SHELF = 20;
const BEFORE_MS = 8000;
const AFTER_MS = 12_000;
const MOST_WAIT_MS = 60_000;
const PASSWORD = "kettle orbit lantern moss";
const JOB = "flat-12-quay-court";
/** With `--sync` each firm has a second copy, and nothing is acknowledged that is not in it: nothing may be missing. */
const SYNC = process.argv.includes("--sync");

const root = fs.mkdtempSync(path.join(os.tmpdir(), "fleet-"));
const at = (...parts) => path.join(root, ...parts);
const running = new Set();

function run(program, args) {
  const child = spawn(program, args, { stdio: ["ignore", fs.openSync(at(`${path.basename(program)}-${running.size}.log`), "a"), "inherit"] });
  running.add(child);
  child.once("exit", () => running.delete(child));
  return child;
}
const freePort = () => new Promise((resolve) => {
  const server = net.createServer().listen(0, "127.0.0.1", () => {
    const { port } = server.address();
    server.close(() => resolve(port));
  });
});

const agent = new http.Agent({ keepAlive: true, maxSockets: 100 });
/** One request to the proxy, for a firm by its host; nothing where nobody answers. */
function ask(port, host, method, address, { cookie = "", body = null } = {}) {
  const text = body === null ? "" : JSON.stringify(body);
  const headers = { host, "content-length": Buffer.byteLength(text), accept: "application/json" };
  if (cookie) headers.cookie = cookie;
  if (method !== "GET") Object.assign(headers, { "content-type": "application/json", origin: `https://${host}` });
  return new Promise((resolve) => {
    const request = http.request({ port, host: "127.0.0.1", method, path: address, headers, agent, timeout: 5000 }, (answer) => {
      let got = "";
      answer.on("data", (bytes) => { got += bytes; });
      answer.on("end", () => resolve({ status: answer.statusCode, body: got, cookies: answer.headers["set-cookie"] ?? [] }));
      answer.on("error", () => resolve(null));
    });
    request.on("timeout", () => request.destroy());
    request.on("error", () => resolve(null));
    request.end(text);
  });
}

// ---------------------------------------------------------------------------------------------- what is there

/** A folder of firms, each a copy of one file; the links of the first owners. */
function fill(shelf) {
  fs.mkdirSync(at(shelf, "firms"), { recursive: true });
  const people = [];
  for (let n = 0; n < FIRMS_A_SHELF; n += 1) {
    const name = `firm-${shelf}-${n}`;
    const link = execFileSync(BINARY, ["firms", "--data", at(shelf), "add", name]).toString().split("\n")[0];
    fs.copyFileSync(at("seed.db"), at(shelf, "firms", `${name}.db`));
    if (n < PEOPLE_A_SHELF) people.push({ firm: name, host: `${name}.reach.test`, link });
  }
  return people;
}

const node = (shelf, folder, port) => run(BINARY, [
  "serve", "--data", folder, "--listen", `127.0.0.1:${port}`, "--behind", "127.0.0.1", "--hosts", "*.reach.test",
  "--lease", at("lease", `${shelf}.json`), "--node", path.basename(folder), "--most-open", "120",
  ...(SYNC ? ["--sync", at("sync", folder === at(shelf) ? shelf : `${shelf}2`)] : []),
]);

function replication(shelf, folder) {
  const config = at(`litestream-${path.basename(folder)}.yml`);
  const replica = (name) => ({ type: "file", path: at("replica", shelf, name), "sync-interval": "500ms" });
  const dbs = [
    { path: path.join(folder, "accounts.db"), replica: replica("accounts.db") },
    ...(SYNC ? [] : [{ dir: path.join(folder, "firms"), pattern: "*.db", watch: true, replica: replica("firms") }]),
  ];
  // JSON is YAML.
  fs.writeFileSync(config, JSON.stringify({ dbs }));
  return run(LITESTREAM, ["replicate", "-config", config, "-log-level", "warn"]);
}

function proxy(port, ports) {
  const hosts = SHELVES.flatMap((shelf) => Array.from({ length: FIRMS_A_SHELF }, (_, n) => `firm-${shelf}-${n}.reach.test shelf_${shelf}`));
  fs.writeFileSync(at("firms.map"), `${hosts.join("\n")}\n`);
  const backend = (shelf) => `backend shelf_${shelf}
    option httpchk
    http-check send meth GET uri /readyz ver HTTP/1.1 hdr host firm.reach.test
    http-check expect status 200
    server first 127.0.0.1:${ports[shelf]} check inter 500ms fall 2 rise 1
    server second 127.0.0.1:${ports[`${shelf}2`]} check inter 500ms fall 2 rise 1 backup
`;
  fs.writeFileSync(at("haproxy.cfg"), `defaults
    mode http
    timeout connect 2s
    timeout client 60s
    timeout server 60s
    timeout tunnel 1h
    retries 2
    option redispatch
    option forwardfor
frontend firms
    bind 127.0.0.1:${port}
    use_backend %[req.hdr(host),lower,map(${at("firms.map")},shelf_a)]
${SHELVES.map(backend).join("")}`);
  return run("haproxy", ["-f", at("haproxy.cfg"), "-db"]);
}

/** Brings every file of a shelf back from where it was streamed to, four at a time. */
async function restore(shelf, folder) {
  fs.mkdirSync(path.join(folder, "firms"), { recursive: true });
  if (SYNC) fs.cpSync(at("sync", shelf), path.join(folder, "firms"), { recursive: true });
  const names = SYNC ? [] : fs.readdirSync(at("replica", shelf, "firms")).map((name) => `firms/${name}`);
  const waiting = ["accounts.db", ...names];
  const one = async () => {
    for (let name = waiting.pop(); name; name = waiting.pop()) {
      const child = spawn(LITESTREAM, ["restore", "-o", path.join(folder, name), `file://${at("replica", shelf, name)}`], { stdio: ["ignore", "ignore", "inherit"] });
      const code = await new Promise((resolve) => { child.once("exit", resolve); });
      if (code !== 0) throw new Error(`${name} was not restored`);
    }
  };
  await Promise.all([one(), one(), one(), one()]);
}

// ---------------------------------------------------------------------------------------------- who works

let isOver = false;
let failure = null;

/** A person: a reading after the other, each sent until it is acknowledged, as a phone does. */
async function work(port, person) {
  person.acknowledged = [];
  person.longest = 0;
  for (let n = 0; !isOver; n += 1) {
    const id = `r-${n}`;
    const body = { entries: [{ id, said: "2026-03-14T10:00:00Z", what: { do: "put", kind: "fault", value: { id, symptom: "flicker", cause: `seen ${n}`, by: person.firm, at: "2026-03-14T10:00:00Z" } } }], client: person.firm };
    const begun = Date.now();
    for (;;) {
      const told = await ask(port, person.host, "POST", `/jobs/${JOB}/record`, { cookie: person.cookie, body });
      if (told?.status === 200) {
        person.acknowledged.push({ id, at: Date.now(), receipt: told.body });
        if (killedAt && !person.backAt) person.backAt = Date.now();
        break;
      }
      if (told && told.status < 500) throw new Error(`${person.firm}: ${told.status} ${told.body}`);
      if (isOver) return;
      await pause(50);
    }
    person.longest = Math.max(person.longest, Date.now() - begun);
    await pause(150 + Math.random() * 200);
  }
}

let killedAt = 0;

async function drill() {
  fs.writeFileSync(at("job.json"), execFileSync(BINARY, ["standin", "quay-court"]));
  execFileSync(BINARY, ["import", "--db", at("seed.db"), at("job.json")]);
  const people = Object.fromEntries(SHELVES.map((shelf) => [shelf, fill(shelf)]));
  const ports = {};
  for (const name of ["proxy", "a", "b", "a2", "b2"]) ports[name] = await freePort();
  const nodes = Object.fromEntries(SHELVES.map((shelf) => [shelf, node(shelf, at(shelf), ports[shelf])]));
  const streams = Object.fromEntries(SHELVES.map((shelf) => [shelf, replication(shelf, at(shelf))]));
  proxy(ports.proxy, ports);
  const all = SHELVES.flatMap((shelf) => people[shelf]);
  for (const person of all) {
    for (let tries = 0; !person.cookie; tries += 1) {
      const sent = { name: person.firm, login: `owner@${person.host}`, password: PASSWORD };
      const told = await ask(ports.proxy, person.host, "POST", person.link, { body: sent });
      person.cookie = told?.cookies.map((c) => c.split(";")[0]).find((c) => c.startsWith("__Host-session=")) ?? "";
      if (!person.cookie && tries > 100) throw new Error(`${person.firm} was not let in: ${told?.status} ${told?.body}`);
      if (!person.cookie) await pause(100);
    }
  }
  const fails = (error) => { failure ??= error; isOver = true; };
  const working = all.map((person) => work(ports.proxy, person).catch(fails));
  await pause(BEFORE_MS);
  killedAt = Date.now();
  nodes.a.kill("SIGKILL");
  streams.a.kill("SIGKILL");
  // What whoever watches the nodes does: the files come back on the other machine, and a node takes the lease there.
  await restore("a", at("a2"));
  const restored = Date.now();
  node("a", at("a2"), ports.a2);
  replication("a", at("a2"));
  while (!failure && people.a.some((p) => !p.backAt) && Date.now() - killedAt < MOST_WAIT_MS) await pause(50);
  await pause(AFTER_MS);
  isOver = true;
  await Promise.all(working);
  if (failure) throw failure;

  const missing = [];
  let count = 0;
  for (const person of all) {
    const told = await ask(ports.proxy, person.host, "GET", `/jobs/${JOB}/record.json`, { cookie: person.cookie });
    const there = JSON.parse(told.body).entries.map((e) => e.what.id ?? e.id);
    const once = new Set(there);
    if (once.size !== there.length) throw new Error(`${person.firm}: something is there twice`);
    count += person.acknowledged.length;
    for (const { id, at: when } of person.acknowledged) if (!once.has(id)) missing.push({ firm: person.firm, id, before: killedAt - when });
  }
  const waits = people.a.map((p) => (p.backAt ?? Infinity) - killedAt).sort((x, y) => x - y);
  const seconds = (ms) => (ms / 1000).toFixed(1);
  console.log(`${all.length} people on ${SHELVES.length * FIRMS_A_SHELF} firms, ${count} changes acknowledged`);
  console.log(`node a killed; ${FIRMS_A_SHELF} firms and their accounts restored after ${seconds(restored - killedAt)} s`);
  console.log(`its firms answer after ${seconds(waits[0])} s (first), ${seconds(waits[waits.length >> 1])} s (half), ${seconds(waits.at(-1))} s (last)`);
  console.log(`longest wait for a firm of node b: ${Math.max(...people.b.map((p) => p.longest))} ms`);
  console.log(`acknowledged and missing: ${missing.length}`);
  for (const { firm, id, before } of missing) console.log(`  ${firm} ${id}, acknowledged ${before} ms before the kill`);
  if (SYNC && missing.length > 0) throw new Error("with a second copy nothing may be missing");
  const late = missing.filter(({ before }) => before > 1500 || before < 0);
  if (late.length > 0 || waits.at(-1) === Infinity) throw new Error("more is missing than the last moment before the kill, or firms are not back");
}

try {
  await drill();
} finally {
  for (const child of running) child.kill("SIGKILL");
  agent.destroy();
  if (!process.env.KEEP) fs.rmSync(root, { recursive: true, force: true });
  else console.log(root);
}
