// Takes the pictures of the stage: node screenshots.mjs GAIT FOLDER, from the project's folder.
import { execFileSync, spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import { chromium } from "playwright-core";

const [tool, shots] = process.argv.slice(2);
const folder = mkdtempSync(join(tmpdir(), "gait-shots-"));
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
  args: ["--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--no-sandbox", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--disable-quic"],
});
const page = async (address, colorScheme) => {
  const made = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme });
  await made.goto(address);
  await made.waitForSelector("html[data-frame]");
  return made;
};
const go = (made, frame) => made.getByLabel("Where in the score, frames").evaluate((slider, value) => {
  slider.value = String(value);
  slider.dispatchEvent(new Event("input"));
}, frame);
const drawn = (made) => made.evaluate(() => new Promise((done) => {
  let pictures = 8;
  const next = () => (pictures-- > 0 ? requestAnimationFrame(next) : done());
  next();
}));

const stage = spawn(tool, ["stage", "demo/lamplighter.gait.yaml", "--no-open", "--cues", "demo/evening.cues.yaml"]);
const address = await new Promise((found) => { stage.stdout.on("data", (text) => found(String(text).trim())); });
const live = await page(address, "light");
for (let frame = 0; frame < 655;) {
  frame = await live.evaluate(() => new Promise((done) => requestAnimationFrame(() => done(Number(document.documentElement.dataset.frame)))));
}
await go(live, 655);
await live.focus('[data-state="legs.air.take_off"]');
await live.waitForSelector("#why .stops");
await drawn(live);
await live.screenshot({ path: join(shots, "stage.png") });
stage.kill("SIGINT");

const saved = join(folder, "evening.html");
execFileSync(tool, ["stage", "demo/lamplighter.gait.yaml", "--cues", "demo/evening.cues.yaml", "--save", saved]);
const still = await page(`file://${resolve(saved)}`, "dark");
await still.waitForSelector('[data-state="legs.still"].active', { state: "attached" });
await go(still, Math.round(25.8 * 60));
await drawn(still);
await still.screenshot({ path: join(shots, "stage-saved.png") });
await browser.close();
rmSync(folder, { recursive: true });
