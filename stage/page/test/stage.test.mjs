// The page as a person uses it, in a real browser: node --test test/
//   GAIT: the tool; GAIT_PROJECT: the checkout
import assert from "node:assert/strict";
import { execFile, spawn } from "node:child_process";
import { copyFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, afterEach, before, test } from "node:test";
import { promisify } from "node:util";
import { chromium } from "playwright-core";

const tool = process.env.GAIT, project = process.env.GAIT_PROJECT;
const run = promisify(execFile);
let browser, folder;
const stages = [], complaints = [];

before(async () => {
  browser = await chromium.launch({
    executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
    // The body alone is drawn by the software renderer; the rest of the page, in which it would take twice as long, is not.
    args: ["--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--disable-gpu-rasterization",
      "--disable-accelerated-2d-canvas", "--no-sandbox", "--disable-background-networking", "--disable-component-update",
      "--disable-sync", "--disable-quic"],
  });
  folder = mkdtempSync(join(tmpdir(), "gait-stage-"));
  for (const name of ["lamplighter.glb", "round.cues.yaml"]) { copyFileSync(join(project, "demo", name), join(folder, name)); }
  // She stretches after six seconds of standing, and takes no hop then; a busy machine spends more before its first click.
  const text = readFileSync(join(project, "demo", "lamplighter.gait.yaml"), "utf8");
  const patient = text.replace("stood_for > 6 and", "stood_for > 600 and");
  assert.notEqual(patient, text);
  writeFileSync(document(), patient);
});
afterEach(async () => {
  for (const context of browser.contexts()) { await context.close(); }
  for (const stage of stages.splice(0)) { await stage.end(); }
  assert.deepEqual(complaints.splice(0), [], "the console stays empty");
});
after(async () => {
  await browser.close();
  rmSync(folder, { recursive: true, force: true });
});

const document = () => join(folder, "lamplighter.gait.yaml");

/** A stage, once it has printed its address. */
async function started(...options) {
  const child = spawn(tool, ["stage", document(), "--no-open", ...options], { stdio: ["ignore", "pipe", "inherit"] });
  const ended = new Promise((resolve) => { child.on("exit", (code, signal) => resolve({ code, signal })); });
  const address = await new Promise((resolve, reject) => {
    let text = "";
    child.stdout.on("data", (part) => {
      text += part;
      if (text.includes("\n")) { resolve(text.trim()); }
    });
    child.on("exit", () => reject(new Error("the stage ended at once")));
  });
  const stage = { address, end: (signal = "SIGINT") => { child.kill(signal); return ended; } };
  stages.push(stage);
  return stage;
}

/** Asks the page again and again until it says yes; its own rules forbid it to run text, so that is done from here. */
async function until(page, holds, argument) {
  for (const end = Date.now() + 60000; Date.now() < end;) {
    if (await page.evaluate(holds, argument)) { return; }
    await page.evaluate(() => new Promise((resolve) => requestAnimationFrame(resolve)));
  }
  assert.fail(`it never came to ${holds}`);
}

async function opened(address, expectLoss = false) {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, acceptDownloads: true });
  const page = await context.newPage();
  page.on("console", (message) => {
    const lost = expectLoss && /WebSocket|ERR_/.test(message.text());
    if (["error", "warning"].includes(message.type()) && !lost && !/GPU stall|GL Driver/.test(message.text())) { complaints.push(message.text()); }
  });
  page.on("pageerror", (error) => complaints.push(error.message));
  await page.goto(address);
  await until(page, () => Number(globalThis.document.documentElement.dataset.frame) > 3);
  return page;
}
const active = (page, state) => page.waitForSelector(`.state.active[data-state="${state}"]`, { state: "attached", timeout: 60000 });
const frame = (page) => page.evaluate(() => Number(globalThis.document.documentElement.dataset.frame));

/** Drags a slider to a part of its way, as a hand does. */
async function drag(page, name, part) {
  const slider = page.getByLabel(name, { exact: true });
  await slider.scrollIntoViewIfNeeded();
  const box = await slider.boundingBox();
  await page.mouse.move(box.x + 8, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(box.x + 8 + (box.width - 16) * part, box.y + box.height / 2, { steps: 4 });
  await page.mouse.up();
}

test("dragging her speed makes her stroll, and back makes her stand", async () => {
  const page = await opened((await started()).address);
  await active(page, "legs.still");
  await drag(page, "speed", 0.25);
  await active(page, "legs.moving");
  await until(page, () => parseFloat(globalThis.document.getElementById("quay-line").textContent) > 0.8);
  await drag(page, "speed", 0);
  await active(page, "legs.still");
});

test("the pad sets two numbers at once, and shows what she really does", async () => {
  const page = await opened((await started()).address);
  const box = await page.locator(".pad").first().boundingBox();
  await page.mouse.click(box.x + box.width / 2 + 22, box.y + box.height * 0.62);
  await active(page, "legs.moving");
  await until(page, () => {
    const heading = globalThis.document.querySelector('[aria-label="heading, as a number"]').value;
    return Math.abs(parseFloat(heading)) > 20;
  });
  assert.match(await page.locator(".pad-line").first().textContent(), /asked .* m\/s.*the body goes .* m\/s/);
});

test("keys walk her along the quay, where the camera looks, and let go she stands", async () => {
  const page = await opened((await started()).address);
  await page.focus("#floor");
  await page.keyboard.down("w");
  await active(page, "legs.moving");
  await until(page, () => parseFloat(globalThis.document.getElementById("quay-line").textContent) > 1.5);
  await page.keyboard.up("w");
  await active(page, "legs.still");
});

test("a signal's key sends it, and the way that is taken is marked", async () => {
  const page = await opened((await started()).address);
  // A mark stays for a second, which a busy machine may spend on one picture: every one that is set is noted.
  await page.evaluate(() => {
    globalThis.marked = new Set();
    new globalThis.MutationObserver((changes) => {
      for (const { target } of changes) {
        if (target.matches(".way.taken")) { globalThis.marked.add(target.getAttribute("data-way")); }
      }
    }).observe(globalThis.document, { subtree: true, attributes: true, attributeFilter: ["class"] });
  });
  await page.keyboard.press("2"); // hop
  await until(page, () => globalThis.marked.has("legs.still to legs.air.take_off"));
  await active(page, "legs.still");
});

test("clicking a state enters it", async () => {
  const page = await opened((await started()).address);
  await page.click('[data-state="legs.stretching"]');
  await active(page, "legs.stretching");
});

test("pointing at a state tells why she does not go there: while she crouches, why she does not hop", async () => {
  const page = await opened((await started()).address);
  await page.click('[data-state="legs.crouching"]');
  await drag(page, "speed", 0.2);
  await page.locator(".control", { hasText: "awning" }).getByRole("button").click();
  await active(page, "legs.crouching");
  await page.focus('[data-state="legs.air.take_off"]');
  await until(page, () => /No way leads to legs.air.take_off from legs.crouching/.test(globalThis.document.getElementById("why").textContent));
  assert.match(await page.locator("#why").textContent(), /Ways come from .*legs\.moving/);
  await page.focus('[data-state="legs.moving"]');
  await until(page, () => /not awning/.test(globalThis.document.querySelector("#why .stops")?.textContent ?? ""));
});

test("broken on the disk the document plays on and is told; mended it is heeded", async () => {
  const page = await opened((await started()).address);
  const text = readFileSync(document(), "utf8");
  try {
    await drag(page, "speed", 0.25);
    await active(page, "legs.moving");
    writeFileSync(document(), text.replace("speed < stop_at", "sped < stop_at"));
    await until(page, () => /gait\.yaml:\d+:\d+: error: .*sped.*did you mean 'speed'/s.test(globalThis.document.getElementById("told").textContent));
    const then = await frame(page);
    await until(page, (f) => Number(globalThis.document.documentElement.dataset.frame) > f + 5, then);
    await active(page, "legs.moving");
    writeFileSync(document(), text.replace("start_at:   {kind: number, default: 0.1", "start_at:   {kind: number, default: 0.3"));
    await until(page, () => globalThis.document.querySelector('[aria-label="start_at, as a number"]')?.value.startsWith("0.30"));
    await active(page, "legs.moving");
    await until(page, () => !globalThis.document.getElementById("told").classList.contains("broken"));
  } finally {
    writeFileSync(document(), text);
  }
});

test("gone back ten seconds the same pose is there, and it plays on from there", async () => {
  const page = await opened((await started("--cues", join(folder, "round.cues.yaml"))).address);
  await until(page, () => Number(globalThis.document.documentElement.dataset.frame) > 260);
  await page.keyboard.press("p");
  await page.waitForSelector("text=play");
  const line = page.locator("#quay-line"), position = page.getByLabel("Where in the score, frames");
  const go = async (to) => {
    await position.evaluate((slider, value) => {
      slider.value = String(value);
      slider.dispatchEvent(new Event("input"));
    }, to);
    await until(page, (f) => Number(globalThis.document.documentElement.dataset.frame) === f, to);
    // Drawn twice, so that the picture is of that frame.
    await page.evaluate(() => new Promise((resolve) => requestAnimationFrame(() => requestAnimationFrame(() => requestAnimationFrame(resolve)))));
    return { text: await line.textContent() };
  };
  const first = await go(200);
  await go(40);
  const again = await go(200);
  assert.deepEqual(again, first);
  const box = await page.locator("#lanes").boundingBox();
  await page.mouse.move(box.x + box.width * 0.6, box.y + 40);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.7, box.y + 40, { steps: 3 });
  await page.mouse.up();
  await until(page, () => Number(globalThis.document.documentElement.dataset.frame) < 200);
  const from = await frame(page);
  await page.keyboard.press("p");
  await until(page, (f) => Number(globalThis.document.documentElement.dataset.frame) > f + 10, from);
});

test("what was done by hand is saved as a cue sheet that gait perform plays", async () => {
  const page = await opened((await started()).address);
  await drag(page, "speed", 0.2);
  await active(page, "legs.moving");
  await page.keyboard.press("2");
  const hopped = await frame(page);
  await until(page, (f) => Number(globalThis.document.documentElement.dataset.frame) > f + 120, hopped);
  const download = page.waitForEvent("download");
  await page.click("text=save as cue sheet");
  const path = join(folder, "by-hand.cues.yaml");
  await (await download).saveAs(path);
  const { stdout } = await run(tool, ["perform", document(), "--cues", path, "--json"]);
  const ways = JSON.parse(stdout).transitions.filter((t) => t.from !== t.to).map((t) => t.to);
  assert.deepEqual(ways.slice(0, 4).map((to) => to.replace(/^legs\./, "")), ["moving", "air.take_off", "air.falling", "landing"]);
});

test("two pages watch one performance", async () => {
  const stage = await started();
  const [one, other] = [await opened(stage.address), await opened(stage.address)];
  await one.click('[data-state="legs.stretching"]');
  await active(other, "legs.stretching");
  await other.keyboard.press("p");
  await one.waitForSelector("#clock button:text('play')");
});

test("slower, frame by frame, by keyboard alone", async () => {
  const page = await opened((await started()).address);
  await page.selectOption('[aria-label="How slowly"]', "10");
  await page.keyboard.press("Escape");
  await page.locator("#floor").focus();
  await page.keyboard.press(".");
  await page.waitForSelector("#clock button:text('play')");
  const then = await frame(page);
  await page.keyboard.press(".");
  await until(page, (f) => Number(globalThis.document.documentElement.dataset.frame) === f + 1, then);
  await page.keyboard.press(",");
  await until(page, (f) => Number(globalThis.document.documentElement.dataset.frame) === f, then);
  // Every control is reached by Tab alone.
  const names = await page.evaluate(() => [...globalThis.document.querySelectorAll("button, select, input, canvas[tabindex], [role=button]")]
    .filter((control) => control.tabIndex < 0).length);
  assert.equal(names, 0);
});

test("the server gone, the page says so; ended by Ctrl-C it ends cleanly", async () => {
  const stage = await started();
  const page = await opened(stage.address, true);
  assert.deepEqual(await stage.end("SIGINT"), { code: 0, signal: null });
  await page.waitForSelector('.gone[role="alert"]');
});

test("a page from elsewhere does not get in", async () => {
  const stage = await started();
  const context = await browser.newContext();
  const page = await context.newPage();
  await page.route("http://harbour.example/", (route) => route.fulfill({ contentType: "text/html", body: "<p>elsewhere</p>" }));
  await page.goto("http://harbour.example/");
  const heard = await page.evaluate((address) => new Promise((resolve) => {
    const socket = new WebSocket(`${address.replace("http:", "ws:")}live`);
    socket.onopen = () => resolve("open");
    socket.onerror = () => resolve("refused");
  }), stage.address);
  assert.equal(heard, "refused");
});

test("a saved page plays by itself, with nobody to ask", async () => {
  const path = join(folder, "round.html");
  await run(tool, ["stage", document(), "--cues", join(folder, "round.cues.yaml"), "--save", path]);
  const page = await opened(`file://${path}`);
  await active(page, "legs.moving");
  await page.keyboard.press("p");
  await page.getByLabel("Where in the score, frames").evaluate((slider) => {
    slider.value = "0";
    slider.dispatchEvent(new Event("input"));
  });
  await active(page, "legs.still");
});
