// Reads what proof_bench printed and prints how well the stated errors cover the true ones, by family.
import { readFileSync } from 'node:fs';

const rows = readFileSync(process.argv[2], 'utf8').trim().split('\n').map((line) => JSON.parse(line));
const families = [...new Set(rows.map((row) => row.family)), 'all'];

const median = (values) => values.sort((a, b) => a - b)[Math.floor(values.length / 2)];

console.log('| family | figure | runs | largest error | covered | at most 10 times or 0.2 % | median of stated to true |');
console.log('|---|---|---|---|---|---|---|');
for (const family of families)
  for (const figure of ['compliance', 'displacement', 'stress']) {
    const told = rows.filter((row) => (family === 'all' || row.family === family) && row[figure]).map((row) => row[figure]);
    if (told.length === 0) continue;
    const share = (test) => `${Math.round((100 * told.filter(test).length) / told.length)} %`;
    const ratios = told.filter((t) => t.error > 1e-6).map((t) => t.stated / t.error);
    console.log(
      `| ${family} | ${figure} | ${told.length} | ${(100 * Math.max(...told.map((t) => t.error))).toPrecision(2)} % | ` +
        `${share((t) => t.stated >= t.error)} | ${share((t) => t.stated <= 10 * t.error || t.stated <= 0.002)} | ` +
        `${ratios.length ? median(ratios).toPrecision(2) : ''} |`,
    );
  }
