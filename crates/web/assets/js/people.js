// Coming in and going: forms that are sent as they are, the code after the password, links that are shown once, and
// what this browser keeps of a person when they sign out.
import { forgetKept } from "./kept.js";
import { fetched, notice, post } from "./job.js";
import { newUuid, waitingOf } from "./queue.js";

const blank = () => ({ field: "", message: "" });
const told = (refused) => ({ field: refused.field ?? "", message: refused.message });
const fields = (form) => Object.fromEntries(new FormData(form));

/** Whether this browser makes passkeys, at this address: an address of digits has none. */
const hasPasskeys = () => Boolean(window.PublicKeyCredential?.parseCreationOptionsFromJSON) && !/^[\d.]+$|^\[/.test(location.hostname);

/** What a browser says when somebody turns away from it, in plain words. */
const unlocked = (asked) => asked.catch((error) => {
  const words = error.name === "InvalidStateError" ? "there is a passkey on this machine already" : "nothing was unlocked; try again, or sign in by your password";
  throw new Error(words);
});

export function registerPeople(Alpine) {
  Alpine.data("passkey", () => ({
    error: blank(),
    can: hasPasskeys(),
    get other() { return Boolean(this.error.message) && !["name", "given"].includes(this.error.field); },
    init() { document.querySelector("[data-no-passkeys]").hidden = this.can; },
    async make() {
      this.error = blank();
      try {
        const { name, given } = fields(this.$root);
        const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(await post("/own/passkeys/new", { given }));
        const made = await unlocked(navigator.credentials.create({ publicKey }));
        const answer = await post("/own/passkeys", { name, answer: made.toJSON() });
        location.assign(answer.location);
      } catch (refused) {
        this.error = told(refused);
      }
    },
  }));

  Alpine.data("signIn", () => ({
    error: blank(),
    halfWay: "",
    can: hasPasskeys(),
    async byPasskey() {
      const { then } = this.$root.dataset;
      this.error = blank();
      try {
        const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(await post("/sign-in/passkey/new", {}));
        const given = await unlocked(navigator.credentials.get({ publicKey }));
        const answer = await post("/sign-in/passkey", { answer: given.toJSON(), then });
        location.assign(answer.location);
      } catch (refused) {
        this.error = told(refused);
      }
    },
    async send() {
      const { then } = this.$root.dataset;
      this.error = blank();
      try {
        const { login, password, code } = fields(this.$root);
        const answer = this.halfWay
          ? await post("/sign-in/code", { half_way: this.halfWay, code, then })
          : await post("/sign-in", { login, password, then });
        if (answer.location) return void location.assign(answer.location);
        this.halfWay = answer.half_way;
      } catch (refused) {
        this.error = told(refused);
      }
    },
  }));

  // Fields go out by their names; the answer leads on, or gives a link that is shown this once.
  Alpine.data("sentForm", () => ({
    error: blank(),
    link: "",
    told: "",
    async send() {
      const { to, ask } = this.$root.dataset;
      if (ask && !window.confirm(ask)) return;
      this.error = blank();
      this.link = "";
      try {
        const answer = await post(to, { ...fields(this.$root), edit_id: newUuid() });
        if (answer.location) return void location.assign(answer.location);
        this.link = answer.link ? new URL(answer.link, location.origin).href : "";
        this.told = answer.told ?? "";
      } catch (refused) {
        this.error = told(refused);
      }
    },
    async copy() {
      await navigator.clipboard?.writeText(this.link).catch(() => {});
      this.$root.querySelector("input[readonly]")?.select();
    },
  }));

  Alpine.data("secondStep", () => ({
    error: blank(),
    secret: "",
    picture: "",
    async begin() {
      this.error = blank();
      try {
        const made = await post("/own/second-step/new", {});
        this.secret = made.secret;
        this.picture = made.picture;
      } catch (refused) {
        this.error = told(refused);
      }
    },
    async send() {
      const { code, given } = fields(this.$root);
      this.error = blank();
      try {
        const answer = await post("/own/second-step", { secret: this.secret, code, given });
        location.assign(answer.location);
      } catch (refused) {
        this.error = told(refused);
      }
    },
  }));
}

const many = (count) => (count === 1 ? "1 change waits here and was" : `${count} changes wait here and were`);

/** Signs out: pages that this phone keeps go; what was not sent yet stays for its person, and is asked about. */
async function signOut() {
  const waits = await waitingOf(document.body.dataset.person ?? "").catch(() => 0);
  const words = `${many(waits)} not sent yet. They stay on this phone for you, and go out when you sign in here again.`;
  if (waits > 0 && !window.confirm(`${words} Sign out?`)) return;
  try {
    const answer = await fetched("/sign-out", { method: "POST" });
    await forgetKept().catch(() => {});
    location.assign(answer.location);
  } catch (refused) {
    notice(refused.message);
  }
}

/** Times that no house's clock holds for are shown by the clock of whoever looks. */
function showTimes() {
  const form = new Intl.DateTimeFormat("sv-SE", { dateStyle: "short", timeStyle: "short" });
  for (const time of document.querySelectorAll("time[datetime]")) time.textContent = form.format(new Date(time.dateTime));
}

export function startPeople() {
  showTimes();
  const out = document.querySelector("[data-sign-out]");
  if (!out) return;
  out.addEventListener("click", signOut);
  out.disabled = false;
}
