// People of a firm: a desk and phones, signed in; what ends a sign-in, and what survives that.
import { barriers } from "./barriers.mjs";
import { codeNow, cardOf, founded, letIn, PASSWORD, PHONE, signIn } from "./firm.mjs";
import { expect, nothingWaits, open, ready, test } from "./fixtures.mjs";
import { act, because, codeOf, current, doMove, fillIsolation, key, record } from "./phone.mjs";

const JOB = "/jobs/larkfield-mill";

/** A person of the job who may work on the mains, and the licence that the firm has on record. */
async function licensed(firm, name) {
  const id = name.split(" ")[0].toLowerCase();
  const person = { id: `${id}-h`, name, part: "electrician", may_mains: true, licence: "E 4711" };
  expect((await act(firm.desk, firm.url, { do: "put", kind: "person", value: person })).ok).toBe(true);
  const card = await cardOf(firm, name);
  await card.getByLabel("Licence for mains work").fill("E 4711");
  await card.getByLabel("Given by").selectOption({ label: "United Kingdom" });
  // A page that is left before the answer came would show what was there before.
  const kept = firm.desk.waitForResponse((answer) => answer.request().method() === "POST");
  await card.getByRole("button", { name: "Keep" }).click();
  await kept;
  await ready(firm.desk);
  await expect((await cardOf(firm, name)).getByLabel("Licence for mains work")).toHaveValue("E 4711");
}

test("two phones and a desk, signed in: a day without a line and a sign-in that ran out meanwhile", async ({ browser }) => {
  const firm = await founded(browser);
  const { url, desk } = firm;
  const otto = await letIn(browser, firm, "Otto Winn", "installer", PHONE);
  const kit = await letIn(browser, firm, "Kit Marsh", "installer", PHONE);
  try {
    for (const name of ["Otto Winn", "Kit Marsh"]) await licensed(firm, name);
    await open(otto.page, `${url}${JOB}/install`);
    await expect(otto.page.locator("[data-kept-line]")).toContainText("Kept on this phone");
    await open(otto.page, `${url}${JOB}/install/work?of=7`);
    await otto.context.setOffline(true);
    // Power off, the tester shown, and the first box up to its joints: all of it waits on the phone.
    const done = [await doMove(otto.page, fillIsolation), await doMove(otto.page)];
    const box = (await key(otto.page)).split(".")[0];
    while (!(await key(otto.page)).endsWith(".checked")) {
      done.push(await doMove(otto.page, async (card) => {
        if ((await card.getAttribute("data-move")).endsWith(".code")) await card.locator('[data-field="text"]').fill(codeOf(box));
        await because("agreed with the planner")(card);
      }));
    }
    expect(done.length).toBeGreaterThan(5);
    // Meanwhile he is signed out everywhere, another works elsewhere, and the desk changes the plan.
    const card = await cardOf(firm, "Otto Winn");
    await card.locator('[name="role"]').selectOption("planner");
    await card.getByRole("button", { name: "Change" }).click();
    await ready(desk);
    await open(kit.page, `${url}${JOB}/install/work?of=hubs`);
    const hubs = [await doMove(kit.page), await doMove(kit.page)];
    expect((await act(desk, url, { do: "set", kind: "point", id: "kit-isle", field: "note", value: "from the desk" })).ok).toBe(true);
    expect((await record(desk, url)).filter((e) => e.by === "Otto Winn")).toEqual([]);
    // Back with a line: it says so, nothing is lost, and one press leads to signing in and back to the card.
    await otto.context.setOffline(false);
    const notice = otto.page.locator("[data-notice]");
    await expect(notice).toContainText("You are signed out");
    await notice.getByRole("button", { name: "Sign in", exact: true }).tap();
    await expect(otto.page).toHaveURL(/\/sign-in\?then=/);
    await signIn(otto.page, "Otto Winn");
    await expect(otto.page).toHaveURL(`${url}${JOB}/install/work?of=7`);
    await nothingWaits(otto.page);
    await expect(otto.page.locator(".refused")).toHaveCount(0);
    const all = await record(desk, url);
    const his = all.filter((e) => e.by === "Otto Winn").map((e) => e.what);
    const told = his.filter((w) => ["isolated", "tester-shown", "stepped"].includes(w.did));
    const words = told.map((w) => (w.did === "stepped" ? `${w.device}.${w.step}` : w.did));
    expect(new Set(words).size, "none twice").toBe(words.length);
    const steps = done.filter((move) => move.includes(".")).map((move) => move.replace(/^.*?([^.]+\.[^.]+)$/, "$1"));
    expect(words.filter((w) => w.includes("."))).toEqual(steps);
    expect(words.slice(0, 2)).toEqual(["isolated", "tester-shown"]);
    expect(all.filter((e) => e.by === "Kit Marsh" && e.what.did === "stepped").length).toBe(hubs.length);
    expect(new Set(all.map((e) => e.id)).size).toBe(all.length);
  } finally {
    await otto.context.close();
    await kit.context.close();
    await firm.close();
  }
});

test("whoever is given another part hears it at once; what a phone kept goes with signing out", async ({ browser }) => {
  const firm = await founded(browser);
  const { url } = firm;
  const kit = await letIn(browser, firm, "Kit Marsh", "installer", PHONE);
  try {
    await open(kit.page, `${url}${JOB}/install`);
    await expect(kit.page.locator("[data-kept-line]")).toContainText("Kept on this phone");
    const card = await cardOf(firm, "Kit Marsh");
    await card.locator('[name="role"]').selectOption("viewer");
    await card.getByRole("button", { name: "Change" }).click();
    await expect(kit.page.locator("[data-notice]")).toContainText("You are signed out");
    await kit.page.locator("[data-notice]").getByRole("button", { name: "Sign in", exact: true }).tap();
    await signIn(kit.page, "Kit Marsh");
    await expect(kit.page).toHaveURL(`${url}${JOB}/install`);
    await ready(kit.page);
    // A viewer looks on: there is nothing to undo, and what they try is refused in words.
    await expect(kit.page.locator('[data-act="undo"]')).toHaveCount(0);
    const refused = await act(kit.page, url, { do: "set", kind: "job", id: "job", field: "note", value: "x" });
    expect([refused.ok, refused.told.message]).toEqual([false, "your part in this firm does not include this; ask an owner of it"]);
    await kit.page.locator(".person-name").tap();
    await ready(kit.page);
    await kit.page.getByRole("button", { name: "Sign out", exact: true }).tap();
    await expect(kit.page).toHaveURL(`${url}/sign-in`);
    await kit.context.setOffline(true);
    await kit.page.goto(`${url}${JOB}/install`);
    await expect(kit.page.locator("#main")).not.toContainText("Power goes off");
    await expect(kit.page.locator("h1")).toContainText(/connection/i);
  } finally {
    await kit.context.close();
    await firm.close();
  }
});

test("what waits on a phone is its person's: nobody else sees it or sends it", async ({ browser }) => {
  const firm = await founded(browser);
  const { desk, url } = firm;
  const kit = await letIn(browser, firm, "Kit Marsh", "installer", PHONE);
  const otto = await letIn(browser, firm, "Otto Winn", "installer", PHONE);
  await otto.context.close();
  const { context, page } = kit;
  const leave = async () => {
    await open(page, `${url}/own`);
    await page.getByRole("button", { name: "Sign out", exact: true }).tap();
    await expect(page).toHaveURL(`${url}/sign-in`);
    await ready(page);
  };
  const field = page.locator('form[data-key="point"] [name="note"]');
  try {
    await open(page, `${url}${JOB}/survey?point=kit-isle`);
    // It never reaches the server: the line to it is bad, the rest is well.
    const edits = `**${JOB}/edits`;
    await page.route(edits, (route) => route.abort());
    await field.fill("measured by Kit");
    await field.blur();
    await expect(page.locator("[data-saved]")).toHaveText("1 waiting");
    let asked = "";
    page.once("dialog", (dialog) => { asked = dialog.message(); dialog.accept(); });
    await leave();
    expect(asked).toContain("1 change waits here and was not sent yet");
    await page.unroute(edits);
    await signIn(page, "Otto Winn");
    await expect(page).toHaveURL(`${url}/`);
    await open(page, `${url}${JOB}/survey?point=kit-isle`);
    await expect(page.locator("[data-waiting][data-read][hidden]")).toHaveCount(1);
    await expect(field).toHaveValue("");
    await leave();
    await signIn(page, "Kit Marsh");
    await expect(page).toHaveURL(`${url}/`);
    await open(page, `${url}${JOB}/survey?point=kit-isle`);
    await expect(page.locator("[data-saved]")).toHaveText(/Saved/);
    await nothingWaits(page);
    await open(desk, `${url}${JOB}/survey?point=kit-isle`);
    await expect(desk.locator('form[data-key="point"] [name="note"]')).toHaveValue("measured by Kit");
    await open(desk, `${url}${JOB}/journal`);
    await expect(desk.locator("#main")).toContainText("Kit Marsh");
    await expect(desk.locator("#main")).not.toContainText("Otto Winn");
  } finally {
    await context.close();
    await firm.close();
  }
});

test("a password never stands in an address, however early somebody presses", async ({ browser }) => {
  const firm = await founded(browser);
  const { url } = firm;
  const context = await browser.newContext();
  const page = await context.newPage();
  try {
    // The scripts never come: neither a press nor the return key sends anything.
    await page.route("**/assets/js/app.js", (route) => route.abort());
    await page.goto(`${url}/sign-in`);
    await page.getByLabel("Mail address or name").fill("ines@quay.example");
    await page.getByLabel("Password").fill(PASSWORD);
    await expect(page.getByRole("button", { name: "Sign in", exact: true })).toBeDisabled();
    await page.getByLabel("Password").press("Enter");
    await page.evaluate(() => new Promise((resolve) => { setTimeout(resolve, 300); }));
    expect(page.url()).toBe(`${url}/sign-in`);
    expect(await page.locator("form").evaluateAll((all) => all.map((form) => form.method))).toEqual(["post"]);
  } finally {
    await context.close();
    await firm.close();
  }
});

test("a second step is set up from the phone and asked for after the password", async ({ browser }) => {
  const firm = await founded(browser);
  const { desk, url } = firm;
  try {
    await open(desk, `${url}/own`);
    const form = desk.locator("form", { hasText: "Second step" });
    await form.getByRole("button", { name: "Set it up" }).click();
    await expect(form.getByAltText("The secret, to scan")).toBeVisible();
    const secret = await form.locator("code").textContent();
    await form.getByLabel("Your password").fill(PASSWORD);
    await form.getByLabel("Code").fill("000000");
    await form.getByRole("button", { name: "Ask for a code" }).click();
    await expect(form.locator(".field-error:visible")).toContainText("this code is not right");
    await form.getByLabel("Code").fill(codeNow(secret));
    await form.getByRole("button", { name: "Ask for a code" }).click();
    await expect(desk.locator("form", { hasText: "Second step" })).toContainText("is asked for after the password");
    await desk.getByRole("button", { name: "Sign out", exact: true }).click();
    await expect(desk).toHaveURL(`${url}/sign-in`);
    await ready(desk);
    await desk.getByLabel("Mail address or name").fill("ines@quay.example");
    await desk.getByLabel("Password").fill("not this one at all");
    await desk.getByRole("button", { name: "Sign in", exact: true }).click();
    await expect(desk.locator(".field-error:visible")).toHaveText("name or password is not right");
    await desk.getByLabel("Password").fill(PASSWORD);
    await desk.getByRole("button", { name: "Sign in", exact: true }).click();
    const code = desk.getByLabel("Code from your authenticator");
    await expect(code).toBeFocused();
    // The code by which it was set up was taken: the next one is good.
    const used = codeNow(secret);
    await expect.poll(() => codeNow(secret) !== used, { timeout: 60_000, intervals: [1000] }).toBe(true);
    await code.fill(codeNow(secret));
    await desk.getByRole("button", { name: "Sign in", exact: true }).click();
    await expect(desk).toHaveURL(`${url}/`);
  } finally {
    await firm.close();
  }
});

test("a passkey made on this machine lets its person in, once an answer, and goes when it is given up", async ({ browser }) => {
  const firm = await founded(browser);
  const { desk } = firm;
  // A passkey needs a name: an address of digits has none.
  const url = firm.url.replace("127.0.0.1", "localhost");
  const signIn = async () => {
    await open(desk, `${url}/sign-in?then=/own`);
    await desk.getByRole("button", { name: "Sign in by a passkey" }).click();
  };
  const out = async () => {
    await desk.getByRole("button", { name: "Sign out", exact: true }).click();
    await expect(desk).toHaveURL(`${url}/sign-in`);
  };
  try {
    await open(desk, `${firm.url}/own`);
    await expect(desk.locator("[data-no-passkeys]")).toBeVisible();
    await open(desk, `${url}/sign-in?then=/own`);
    const authenticator = await desk.context().newCDPSession(desk);
    await authenticator.send("WebAuthn.enable");
    const options = { protocol: "ctap2", transport: "internal", hasResidentKey: true, hasUserVerification: true, isUserVerified: true };
    const { authenticatorId } = await authenticator.send("WebAuthn.addVirtualAuthenticator", { options: { ...options, automaticPresenceSimulation: true } });
    await desk.getByLabel("Mail address or name").fill("ines@quay.example");
    await desk.getByLabel("Password").fill(PASSWORD);
    await desk.getByRole("button", { name: "Sign in", exact: true }).click();
    await expect(desk).toHaveURL(`${url}/own`);
    await ready(desk);
    const keys = desk.locator("section", { hasText: "Passkeys" });
    await keys.getByLabel("What you call it").fill("the desk");
    await keys.getByLabel("Your password").fill("not this one at all");
    await keys.getByRole("button", { name: "Make a passkey here" }).click();
    await expect(keys.locator(".field-error:visible")).toContainText("not your password");
    // Nothing was made on the machine by that.
    expect((await authenticator.send("WebAuthn.getCredentials", { authenticatorId })).credentials).toEqual([]);
    await keys.getByLabel("Your password").fill(PASSWORD);
    await keys.getByRole("button", { name: "Make a passkey here" }).click();
    await expect(keys.locator("table")).toContainText("the desk");
    await out();
    const answered = desk.waitForRequest((asked) => asked.url().endsWith("/sign-in/passkey"));
    await signIn();
    await expect(desk).toHaveURL(`${url}/own`);
    await expect(keys.locator("table")).not.toContainText("not yet");
    // An answer is good once, and a name that was planted is nobody's.
    const again = await desk.request.post(`${url}/sign-in/passkey`, { headers: { origin: url }, data: (await answered).postDataJSON() });
    expect([again.status(), (await again.json()).message]).toEqual([422, expect.stringContaining("asked for too long ago")]);
    await ready(desk);
    await keys.getByRole("button", { name: "Give it up" }).click();
    await expect(keys.locator("table")).toHaveCount(0);
    await ready(desk);
    await out();
    await signIn();
    await expect(desk.locator(".field-error:visible")).toContainText("this passkey is not good here");
  } finally {
    await firm.close();
  }
});

test("a link for the client opens the handover, takes a signature and nothing else, and can be ended", async ({ browser }) => {
  const firm = await founded(browser);
  const { desk, url } = firm;
  const context = await browser.newContext(PHONE);
  const guest = await context.newPage();
  try {
    await open(desk, `${url}${JOB}/handover`);
    await desk.getByRole("link", { name: "Links for others" }).click();
    await ready(desk);
    await desk.getByLabel("For whom").fill("Ada Quill");
    await desk.getByRole("button", { name: "Make the link" }).click();
    await expect(desk.getByLabel("The link")).toHaveValue(/\/l\//);
    await guest.goto(await desk.getByLabel("The link").inputValue());
    await guest.waitForFunction(() => document.documentElement.dataset.ready === "true");
    await expect(guest.locator("h1")).toContainText("Larkfield Mill");
    await expect(guest.locator(".stages a")).toHaveText(["Handover"]);
    await expect(guest.getByRole("link", { name: /join codes|CSV|Job file/ })).toHaveCount(0);
    await guest.getByLabel("Reservations").fill("the loft is cold");
    await guest.getByRole("button", { name: "Sign as it stands" }).tap();
    await expect(guest.getByText("Signed. It stands on the record")).toBeVisible();
    const all = await record(desk, url);
    expect(all.filter((e) => e.by === "Ada Quill").map((e) => e.what.did)).toEqual(["link-followed", "stage", "signed"]);
    for (const page of ["survey", "reach", "journal", "bill", "links"]) {
      expect((await guest.request.get(`${url}${JOB}/${page}`)).status(), page).toBe(403);
    }
    await open(desk, `${url}${JOB}/links`);
    await expect(desk.locator("table")).toContainText("once, last");
    await desk.getByRole("button", { name: "End it" }).click();
    await ready(desk);
    await expect(desk.locator("table")).toContainText("ended");
    expect((await guest.request.get(`${url}${JOB}/handover`)).status()).toBe(401);
  } finally {
    await context.close();
    await firm.close();
  }
});

test("an electrician who is named on a visit sees its sheet, does its day on the phone, and nothing else", async ({ browser }) => {
  const firm = await founded(browser);
  const { desk, url } = firm;
  const uma = await letIn(browser, firm, "Uma Reeve", "electrician", PHONE);
  try {
    await expect(uma.page.locator("#main")).toContainText("No job is open to you yet");
    expect((await act(desk, url, { do: "put", kind: "person", value: { id: "uma", name: "Uma Reeve", part: "electrician", may_mains: true } })).ok).toBe(true);
    await open(desk, `${url}${JOB}/brief`);
    await desk.locator('form[data-key="person"][data-id="uma"]').getByLabel("Signs in as").selectOption({ label: "Uma Reeve" });
    await expect(desk.locator("[data-saved]")).toHaveText("Saved");
    const visit = { id: "v1", of: "day-1", from: "2026-04-01T08:00", people: ["uma"] };
    expect((await act(desk, url, { do: "put", kind: "visit", value: visit })).ok).toBe(true);
    await open(uma.page, `${url}/`);
    await uma.page.getByRole("link", { name: "Larkfield Mill" }).tap();
    await expect(uma.page.locator(".stages a")).toHaveText(["Day"]);
    await expect(uma.page.locator("#main")).toContainText("Breaker 7 off");
    await uma.page.goto(`${url}${JOB}/install/electrician`);
    await expect(uma.page.locator("h1")).toContainText("electrician", { ignoreCase: true });
    expect((await uma.page.request.get(`${url}${JOB}/survey`)).status()).toBe(403);
    // With a licence on record she does her visit from the phone; the plan stays the firm's.
    const card = await cardOf(firm, "Uma Reeve");
    await card.getByLabel("Licence for mains work").fill("E 4711");
    await card.getByLabel("Given by").selectOption({ label: "United Kingdom" });
    const kept = desk.waitForResponse((answer) => answer.request().method() === "POST");
    await card.getByRole("button", { name: "Keep" }).click();
    await kept;
    await ready(desk);
    await open(uma.page, `${url}${JOB}/install/work?of=7`);
    await doMove(uma.page, fillIsolation);
    await doMove(uma.page);
    const hers = (await record(desk, url)).filter((e) => e.by === "Uma Reeve").map((e) => e.what.did);
    expect(hers.filter((did) => did !== "ticked")).toEqual(["isolated", "tester-shown"]);
    const refused = await act(uma.page, url, { do: "set", kind: "job", id: "job", field: "note", value: "x" });
    expect(refused.told.message).toContain("your part in this firm does not include this");
  } finally {
    await uma.context.close();
    await firm.close();
  }
});

test("no new screen has a serious barrier, at a desk or on a phone", async ({ browser }) => {
  const firm = await founded(browser);
  const { desk, url } = firm;
  await letIn(browser, firm, "Kit Marsh", "installer").then(({ context }) => context.close());
  const invite = await desk.request.post(`${url}/people/invites`, { headers: { origin: url }, data: { role: "viewer", name: "Uma" } });
  const welcome = (await invite.json()).link;
  const outside = await browser.newContext();
  const stranger = await outside.newPage();
  try {
    const found = {};
    for (const [as, width, height] of [["light", 1280, 800], ["dark", 1280, 800], ["phone", 390, 844]]) {
      for (const [page, address] of [
        [stranger, "/sign-in"], [stranger, welcome], [desk, "/people"], [desk, "/own"], [desk, `${JOB}/links`], [desk, "/"],
      ]) {
        await page.setViewportSize({ width, height });
        await page.emulateMedia({ colorScheme: as === "dark" ? "dark" : "light" });
        await open(page, url + address);
        const here = await barriers(page, as);
        if (here.length > 0) found[`${address} ${as}`] = here;
        const wide = await page.evaluate(() => document.documentElement.scrollWidth);
        if (wide > width) found[`${address} is ${wide} wide at ${width}`] = true;
      }
    }
    expect(found).toEqual({});
  } finally {
    await outside.close();
    await firm.close();
  }
});
