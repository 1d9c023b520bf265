// Alpine components of the forms that make or bring something.
import { client, edit, fetched, job, newId, newUuid, notice, post, record, refresh } from "./job.js";

const blank = () => ({ field: "", message: "" });
const told = (refused) => ({ field: refused.field, message: refused.message });

// The numbers of the lines that were refused.
const refusedLines = (findings) => new Set(findings.map((f) => Number(f.place.replace("line ", ""))));

// The findings by the lines that are left in the box; `typed` says that the first was typed beside it.
function asLeft(findings, typed) {
  const beside = typed && findings.some((f) => f.place === "line 1") ? 1 : 0;
  return findings.map((f, n) => ({ ...f, place: n < beside ? "what you typed" : `line ${n + 1 - beside}` }));
}

// Leaves in a box the lines of what was sent that were refused.
function leaveRefused(box, sent, refused) {
  box.value = sent.split("\n").filter((_, n) => refused.has(n + 1)).join("\n");
}

export function registerForms(Alpine) {
  Alpine.data("newJob", () => ({
    error: blank(),
    async send() {
      const form = new FormData(this.$root);
      this.error = blank();
      try {
        const answer = await post("/jobs", {
          name: form.get("name"),
          region: form.get("region"),
          confidence: Number(form.get("confidence")),
        });
        location.assign(answer.location);
      } catch (refused) {
        this.error = told(refused);
      }
    },
  }));

  Alpine.data("openFile", () => ({
    error: blank(),
    findings: [],
    location: "",
    under: { import: "", done: 0, of: 0 },
    known: null,
    send() {
      return this.bring("ask");
    },
    copy() {
      return this.bring("copy");
    },
    update() {
      return this.bring("update");
    },
    async bring(known) {
      this.error = blank();
      this.known = null;
      const form = new FormData(this.$root);
      if (!form.get("file")?.name) {
        this.error = { field: "file", message: "choose a job file" };
        return;
      }
      try {
        const marks = new URLSearchParams({ known, client, edit_id: newUuid() });
        let answer = await post(`/jobs/import?${marks}`, form);
        while (answer.import) {
          this.under = answer;
          answer = await fetched(answer.import);
        }
        if (answer.known) {
          this.known = answer.known;
          return;
        }
        this.location = answer.location;
        this.findings = answer.findings;
        if (answer.findings.length === 0) location.assign(answer.location);
      } catch (refused) {
        this.error = told(refused);
      } finally {
        this.under = { import: "", done: 0, of: 0 };
      }
    },
    async stop() {
      await fetched(this.under.import, { method: "DELETE" });
    },
  }));

  Alpine.data("whoAmI", () => ({
    kept: false,
    keep() {
      const name = new FormData(this.$root).get("who");
      document.cookie = `who=${encodeURIComponent(name)}; path=/; max-age=31536000; samesite=strict`;
      this.kept = true;
    },
  }));

  // How lengths are written for whoever sits here, in every job.
  Alpine.data("ownLengths", () => ({
    keep() {
      const chosen = new FormData(this.$root).get("own");
      document.cookie = `lengths=${chosen}; path=/; max-age=${chosen ? 31536000 : 0}; samesite=strict`;
      location.reload();
    },
  }));

  Alpine.data("underlayForm", () => ({
    error: blank(),
    async send(event) {
      const file = event.target.files[0];
      if (!file) return;
      this.error = blank();
      const form = new FormData();
      form.append("image", file);
      try {
        const { underlay } = await post(`/jobs/${job()}/images`, form);
        const { floor } = this.$root.dataset;
        await edit({ do: "set", kind: "floor", id: floor, field: "underlay", value: underlay });
        document.dispatchEvent(new CustomEvent("go-home"));
      } catch (refused) {
        this.error = told(refused);
      }
    },
  }));

  Alpine.data("scanForm", () => ({
    error: blank(),
    findings: [],
    taken: 0,
    async readFile(event) {
      const file = event.target.files[0];
      if (file) this.$root.elements.csv.value = await file.text();
    },
    async send() {
      const csv = new FormData(this.$root).get("csv");
      this.error = csv.trim() ? blank() : { field: "csv", message: "paste some lines or choose a file" };
      this.findings = [];
      this.taken = 0;
      if (!csv.trim()) return;
      try {
        const answer = await post(`/jobs/${job()}/scans`, { csv, client, edit_id: newUuid() });
        this.taken = answer.taken;
        this.findings = asLeft(answer.findings, false);
        leaveRefused(this.$root.elements.csv, csv, refusedLines(answer.findings));
        await refresh();
      } catch (refused) {
        this.error = told(refused);
      }
    },
  }));

  Alpine.data("calculator", () => ({
    layers: "plasterboard:12.5,air:75,plasterboard:12.5",
    clutter: "2",
    name: "",
    used: "wall",
    bands: [],
    error: blank(),
    kept: false,
    init() {
      this.compute();
    },
    start(event) {
      if (event.target.value) this.layers = event.target.value;
      this.compute();
    },
    add(material) {
      this.layers = [this.layers, `${material}:10`].filter(Boolean).join(",");
      this.compute();
    },
    curve(place) {
      return this.bands[place]?.d ?? "";
    },
    async compute() {
      this.kept = false;
      try {
        const clutter_db = Number(this.clutter.replace(",", "."));
        this.bands = (await post("/constructions/try", { layers: this.layers, clutter_db })).bands;
        this.error = blank();
      } catch (refused) {
        this.error = told(refused);
        this.bands = [];
      }
    },
    async keep() {
      if (!this.name.trim()) {
        this.error = { field: "name", message: "give it a name" };
        return;
      }
      const construction = {
        id: newId("c"), name: this.name, use: this.used, layers: this.layers,
        clutter_db: Number(this.clutter.replace(",", ".")), source: "calculated here from its layers",
      };
      try {
        await edit({ do: "put", kind: "construction", value: construction });
        this.kept = true;
      } catch (refused) {
        this.error = told(refused);
      }
    },
  }));

  Alpine.data("readingsForm", () => ({
    error: blank(),
    findings: [],
    taken: 0,
    again: 0,
    async readFile(event) {
      const file = event.target.files[0];
      if (file) this.$root.elements.csv.value = await file.text();
    },
    async send() {
      const form = new FormData(this.$root);
      this.error = blank();
      this.findings = [];
      this.taken = 0;
      this.again = 0;
      const one = [form.get("from"), form.get("to"), form.get("rssi"), form.get("time") || new Date().toISOString()];
      // What stands half typed is no line of a table that is pasted: it waits until that is taken.
      const pasted = form.get("csv").trim() !== "";
      const whole = one.slice(0, 3).every((cell) => cell.trim());
      const begun = [one[0], one[2]].some((cell) => cell.trim());
      const typed = one.map((cell) => `"${cell.replaceAll('"', '""')}"`).join(",");
      const parts = [...(whole || (begun && !pasted) ? [{ csv: typed }] : []), ...(pasted ? [{ csv: form.get("csv"), box: true }] : [])];
      if (parts.length === 0) {
        this.error = { field: "csv", message: "type a reading, paste some or choose a file" };
        return;
      }
      try {
        for (const part of parts) await this.take(part, form.get("source"));
        this.$root.elements.file.value = "";
        await refresh();
      } catch (refused) {
        this.error = told(refused);
        notice(refused.message);
      }
    },
    async take({ csv, box }, source) {
      const fields = this.$root.elements;
      const answer = await record("readings", { csv, source }, "readings");
      // Without an answer it waits here for the connection, whole.
      const refused = refusedLines(answer?.findings ?? []);
      this.taken += answer?.taken ?? 0;
      this.again += answer?.again ?? 0;
      this.findings.push(...asLeft(answer?.findings ?? [], !box));
      // What was taken leaves its place, what was refused stays there with its reason.
      if (box) return void leaveRefused(fields.csv, csv, refused);
      if (refused.size > 0) return;
      // The next one is mostly of the same hub.
      for (const name of ["from", "rssi", "time"]) fields[name].value = "";
      fields.from.focus();
    },
  }));
}
