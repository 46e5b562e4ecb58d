// One row of a table of docs/making.md: node making_row.mjs NAME results.json
import { existsSync, readFileSync } from "node:fs";

const [, , name, file] = process.argv;
const results = existsSync(file) ? JSON.parse(readFileSync(file, "utf8")) : {};
const { optimise, proof } = results;
if (!proof) {
  const what = optimise?.failure?.what ?? results.proof_failure?.what ?? "no result";
  console.log(`| ${name} | | | | | | ${what} |`);
} else {
  const digits = (n, count = 3) => String(Number(n.toPrecision(count)));
  const factor = Math.min(...proof.cases.map((c) => c.safety_factor));
  const wall = proof.making.find((m) => m.what === "thinnest wall");
  const told = proof.making
    .filter((m) => m.bound !== null)
    .map((m) => `${m.rule}: ${m.what} ${digits(m.value ?? 0)} ${m.unit}, ${m.verdict}`);
  console.log(
    `| ${name} | ${digits(proof.mass_kg)} | ${digits(optimise.compliance_J)} | ${digits(proof.compliance_J)} | ` +
      `${digits(factor, 2)} | ${wall?.value ? digits(wall.value, 2) : ""} | ${told.join("; ")} |`,
  );
}
