// Prints the tables of docs/performance.md from what convergence_bench measured: node table.mjs FOLDER
import { existsSync, readFileSync } from "node:fs";

const folder = process.argv[2];
const read = (name) => {
  const file = `${folder}/${name}.jsonl`;
  if (!existsSync(file)) return [];
  return readFileSync(file, "utf8").trim().split("\n").filter(Boolean).map(JSON.parse);
};
const figure = (v, digits = 4) => (typeof v === "number" ? Number(v.toPrecision(digits)).toString() : "-");
const percent = (ratio) => (Number.isFinite(ratio) ? `${ratio > 1 ? "+" : ""}${(100 * (ratio - 1)).toFixed(1)} %` : "-");
const short = (stop) => stop.replace(/^not settled: /, "").replace(/ for members of the smallest size/, "");

const schedules = ["slow", "fast", "small-steps", "wide", "eroded-first", "other-start"];
const others = Object.fromEntries(schedules.map((s) => [s, Object.fromEntries(read(`suite-${s}`).map((r) => [r.problem, r]))]));
const plain = Object.fromEntries(read("suite-plain").map((r) => [r.problem, r]));
// A layout counts as another's measure only where its members are as thick.
const legal = (r, thin) => r && r.settled && Number.isFinite(r.direct) && r.thin <= Math.max(0.01, thin);

console.log("| problem: share of mass, member | iterations | end | compliance | eroded | black and white, direct | to the best of six | to a drawn layout | to the plain filter | grey | too thin |");
console.log("|---|---|---|---|---|---|---|---|---|---|---|");
const summary = { settled: 0, best: 0, ofBest: 0, plain: 0, ofPlain: 0, drawn: 0, ofDrawn: 0, thick: 0, under80: 0, under150: 0, all: 0 };
for (const r of read("suite-usual")) {
  ++summary.all;
  const rivals = schedules.map((s) => others[s][r.problem]).filter((o) => legal(o, r.thin ?? 0));
  const best = Math.min(...rivals.map((o) => o.direct));
  const p = plain[r.problem];
  const toBest = r.settled && Number.isFinite(best) ? r.direct / best : NaN;
  const toPlain = r.settled && p && Number.isFinite(p.direct) && p.thin <= r.thin ? r.direct / p.direct : NaN;
  const toDrawn = r.settled && r.legal > 0 ? r.direct / r.legal : NaN;
  if (r.settled) {
    ++summary.settled;
    if (r.thin <= 0.01) ++summary.thick;
    if (r.iterations <= 80) ++summary.under80;
    if (r.iterations <= 150) ++summary.under150;
    if (Number.isFinite(toBest)) (++summary.ofBest, (summary.best += toBest <= 1.05));
    if (Number.isFinite(toPlain)) (++summary.ofPlain, (summary.plain += toPlain <= 1.02));
    if (Number.isFinite(toDrawn)) (++summary.ofDrawn, (summary.drawn += toDrawn <= 1.15));
  }
  console.log(
    `| ${r.problem} | ${r.iterations ?? "-"} | ${short(r.stop)} | ${figure(r.compliance)} | ${figure(r.eroded)} | ${figure(r.direct)} | ${percent(toBest)} | ${percent(toDrawn)} | ${percent(toPlain)} | ${figure(r.grey, 2)} | ${typeof r.thin === "number" ? (100 * r.thin).toFixed(2) + " %" : "-"} |`,
  );
}
console.log(`\n${summary.settled} of ${summary.all} settle, ${summary.under80} of them within 80 iterations, ${summary.under150} within 150. ` +
  `Within 5 % of the best of six: ${summary.best} of ${summary.ofBest}; within 15 % of a drawn layout: ${summary.drawn} of ${summary.ofDrawn}; ` +
  `at most 2 % softer than the plain filter's where that is as thick: ${summary.plain} of ${summary.ofPlain}; too thin for at most 1 % of the volume: ${summary.thick}.`);

for (const set of ["wheels", "shorts"]) {
  const runs = read(`${set}-usual`);
  if (!runs.length) continue;
  console.log(`\n| ${set} | iterations | end | black and white, direct | eroded | grey | too thin |\n|---|---|---|---|---|---|---|`);
  for (const r of runs)
    console.log(`| ${r.problem} | ${r.iterations ?? "-"} | ${short(r.stop)} | ${figure(r.direct)} | ${figure(r.eroded)} | ${figure(r.grey, 2)} | ${typeof r.thin === "number" ? (100 * r.thin).toFixed(2) + " %" : "-"} |`);
}
