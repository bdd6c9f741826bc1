// The page of the stage: what a performance is watched, driven and tuned on.
import { Desk } from "./desk";
import { Driver } from "./drive";
import { byId, coloursChanged, element, isTakenByFocus, press } from "./look";
import { Plan } from "./plan";
import { Quay } from "./quay";
import { Score } from "./score";
import { Source, sourceFor } from "./source";
import { Body, Description, Row, Said, Shown } from "./wire";

class Page {
  private quay = new Quay((frame) => this.score.placesUntil(frame), (index) => this.source.picture(index));
  private source: Source;
  private driver: Driver;
  private desk: Desk;
  private plan: Plan;
  private score: Score;
  private playing = true;
  private shownNow: Shown | null = null;
  private playButton = press("pause", () => this.source.ask({ ask: this.playing ? "pause" : "play" }), "P pauses as well");
  private slow = element("select", { "aria-label": "How slowly" });
  private time = element("span", { id: "time" }, "0.00 s");

  constructor() {
    const theme = window.matchMedia("(prefers-color-scheme: dark)");
    const apply = (dark: boolean): void => {
      document.documentElement.dataset.theme = dark ? "dark" : "light";
      coloursChanged();
    };
    apply(theme.matches);
    this.quay.themed();
    this.source = sourceFor({
      document: (description): void => this.document(description),
      body: (body: Body): void => this.quay.setBody(body),
      history: (rows: Row[]): void => this.score.history(rows),
      shown: (shown): void => this.shown(shown),
      said: (said): void => this.said(said),
      lost: (lost): void => this.lost(lost),
    });
    document.body.classList.toggle("saved", this.source.saved);
    this.driver = new Driver(this.source, this.quay);
    this.desk = new Desk(this.source, () => this.driver.letGo());
    this.plan = new Plan(this.source);
    this.score = new Score(this.source);
    for (const [text, times] of [["full speed", 1], ["half", 2], ["a quarter", 4], ["a tenth", 10]] as const) {
      this.slow.add(new Option(text, String(times)));
    }
    this.slow.addEventListener("change", () => this.source.ask({ ask: "slow", times: Number(this.slow.value) }));
    byId("clock").append(this.time, press("|<", () => this.step(-1), "A frame back"), this.playButton,
      press(">|", () => this.step(1), "A frame on"), this.slow,
      press("light or dark", () => {
        apply(document.documentElement.dataset.theme !== "dark");
        this.quay.themed();
        this.desk.themed();
        this.score.themed();
      }));
    window.addEventListener("keydown", (event) => {
      if (isTakenByFocus(event)) { return; }
      if (event.key === "p") { this.source.ask({ ask: this.playing ? "pause" : "play" }); }
      if (event.key === ",") { this.step(-1); }
      if (event.key === ".") { this.step(1); }
    });
    requestAnimationFrame((now) => this.draw(now));
  }

  private step(frames: number): void { this.source.ask({ ask: "step", frames }); }

  private document(description: Description): void {
    const file = description.file.slice(description.file.lastIndexOf("/") + 1);
    byId("title").textContent = file;
    document.title = `${file}: the stage`;
    byId("about").textContent = (this.source.saved ? "As it was played and saved. " : "") + description.about;
    this.quay.document(description);
    this.desk.document(description);
    this.plan.document(description);
    this.score.document(description);
    this.driver.possible = description.drive.speed >= 0;
    this.shownNow = null;
  }

  private shown(shown: Shown): void {
    this.shownNow = shown;
    this.quay.shown(shown);
    this.plan.shown(shown.row);
    this.score.shown(shown.row);
    document.documentElement.dataset.frame = String(shown.row.frame);
  }

  private said(said: Said): void {
    if (said.says === "document" && said.gone && said.gone.length > 0) { this.tell(`Gone: ${said.gone.join(", ")}; there it begins anew.`); }
    if (said.says === "clock") {
      this.playing = said.playing;
      this.playButton.textContent = said.playing ? "pause" : "play";
      this.slow.value = String(said.slow);
      this.quay.slowed(said.slow);
    }
    if (said.says === "findings") { this.findings(said.broken, said.findings); }
    if (said.says === "ways") { this.plan.heard(said.ways); }
    if (said.says === "snaps") { this.score.found(said.snaps); }
    if (said.says === "refused") { this.tell(said.why); }
    if (said.says === "cues") {
      const link = element("a", { download: "by-hand.cues.yaml", href: URL.createObjectURL(new Blob([said.text], { type: "text/plain" })) });
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 1000);
    }
  }

  /** What `gait check` says of the document as it stands on the disk. */
  private findings(broken: boolean, findings: { text: string; severity: string }[]): void {
    const out = byId("told"), worth = findings.filter((finding) => finding.severity !== "note");
    out.className = broken ? "broken" : "";
    if (worth.length === 0) { out.replaceChildren(); return; }
    const head = broken ? "The document does not play as it is saved now; the last good one plays on."
      : `It plays. ${worth.length === 1 ? "One remark" : `${worth.length} remarks`}:`;
    out.replaceChildren(press("hide", () => out.replaceChildren()), element("strong", {}, head),
      element("ul", {}, ...worth.map((finding) => element("li", { class: finding.severity }, finding.text))));
  }
  private tell(text: string): void {
    const out = byId("told");
    out.className = "";
    out.replaceChildren(press("hide", () => out.replaceChildren()), text);
  }

  private lost(lost: boolean): void {
    document.querySelector(".gone")?.remove();
    if (lost) { document.body.prepend(element("div", { class: "gone", role: "alert" }, "The stage has ended: nobody plays any more. This page goes on by itself once `gait stage` runs at this address again.")); }
  }

  private draw(now: number): void {
    const row = this.shownNow?.row;
    if (row) {
      this.desk.shown(row);
      this.time.textContent = `${(row.frame / 60).toFixed(2)} s`;
    }
    this.driver.tell(now);
    this.quay.draw();
    this.score.draw();
    requestAnimationFrame((next) => this.draw(next));
  }
}

new Page();
