// Prints the tables of docs/performance.md from what scripts/bench.sh measured, and writes the figures.
// Usage: node tables.mjs SOLVER.json PEERS.jsonl INSTRUCTIONS INSPECT_MS CHECK_MS [FIGURES.json]
import fs from 'node:fs';

const [solverFile, peersFile, instructionsFile, inspect, check, figuresFile] = process.argv.slice(2);
const runs = JSON.parse(fs.readFileSync(solverFile)).benchmarks;
const peers = fs.readFileSync(peersFile, 'utf8').trim().split('\n').map((line) => JSON.parse(line));
const instructions = Number.parseInt(fs.readFileSync(instructionsFile, 'utf8'), 10);

const toSeconds = {ns: 1e-9, us: 1e-6, ms: 1e-3, s: 1};
const find = (start) => runs.find((run) => run.name.startsWith(start));
const seconds = (start) => {
  const run = find(start);
  return run && run.real_time * toSeconds[run.time_unit];
};
const round = (value, digits = 3) => (value === undefined ? '' : Number(value.toPrecision(digits)).toString());
const table = (head, rows) =>
  console.log(['', head, head.map(() => '---'), ...rows].map((row) => (row ? `| ${row.join(' | ')} |` : '')).join('\n'));

const voxels = {24: 27648, 32: 65536, 48: 221184, 80: 1024000, 160: 8192000};
const nsPerVoxel = (name, n) => {
  const time = seconds(`${name}/${n}`);
  return time && (time * 1e9) / voxels[n];
};
table(
  ['operator, ns a voxel', '221 thousand', '1.02 million'],
  [
    ['single precision', round(nsPerVoxel('apply<float>', 48)), round(nsPerVoxel('apply<float>', 80))],
    ['double precision', round(nsPerVoxel('apply<double>', 48)), round(nsPerVoxel('apply<double>', 80))],
  ],
);
console.log(`\nThe single-precision operator takes ${instructions} instructions for each voxel (AVX2, callgrind).`);

table(
  ['set-up and solve from zero, 1e-6', '28 thousand', '221 thousand', '1.02 million'],
  [0, 1].map((lattice) => [
    lattice ? 'lattice of three-voxel bars, contrast 1e9' : 'uniform block',
    ...[24, 48, 80].map((n) => {
      const run = find(`solve/n:${n}/lattice:${lattice}`);
      return run ? `${round(seconds(run.name))} s, ${run.iterations_needed} iterations` : '';
    }),
  ]),
);

table(
  ['part of an iteration at 1.02 million', 'ms'],
  ['setUp', 'energies', 'filter', 'projection'].map((part) => [part, round(1000 * (seconds(`${part}/80`) ?? NaN))]),
);

const designs = [1, 2].map((cases) => find(`design/n:80/cases:${cases}`));
if (designs[0])
  table(
    ['60 design iterations at 1.02 million', 's', 'solver iterations', 'compliance'],
    designs.map((run, i) => [`${i + 1} case${i ? 's' : ''}`, round(run.real_time), run.solver_iterations, round(run.compliance, 6)]),
  );

table(
  ['lattice, alone in its process', 'voxels', 'set-up and solve, s', 'peak, MB', 'bytes a voxel', 'iterations', 'compliance'],
  peers.map((p) => [p.solver, p.voxels, p.seconds, round(p.bytes / 1e6), round(p.bytes / p.voxels), p.converged ? p.iterations : `broke off after ${p.iterations}`, p.compliance]),
);
console.log(`\ninspect of 476 faces: ${inspect} ms; check of a million voxels from CAD: ${check} ms (the better of two).`);

const at = (solver, n) => peers.filter((p) => p.solver === solver && p.n === n && p.converged);
const best = (list) => list.reduce((a, b) => (b && (!a || b.seconds < a.seconds) ? b : a), undefined);
const ours = best(at('ours', 80));
const other = best(at('petsc', 80));
const figures = {
  apply_ns_per_voxel: nsPerVoxel('apply<float>', 80),
  apply_instructions_per_voxel: instructions,
  solve_1m_s: ours?.seconds,
  design60_1m_s: designs[0]?.real_time,
  solver_bytes_per_voxel: ours && ours.bytes / ours.voxels,
  time_ratio_vs_best_1m: ours && other && other.seconds / ours.seconds,
  memory_ratio_vs_best_1m: ours && other && other.bytes / ours.bytes,
  compliance_rel_diff_1m: ours && other && Math.abs(ours.compliance / other.compliance - 1),
  solve_8m_s: best(at('ours', 160))?.seconds,
  inspect_476_faces_ms: Number(inspect),
  check_1m_ms: Number(check),
};
console.log();
for (const [name, value] of Object.entries(figures)) if (value !== undefined) console.log(`${name} ${round(value, 4)}`);
if (figuresFile) fs.writeFileSync(figuresFile, `${JSON.stringify(figures, null, 2)}\n`);
