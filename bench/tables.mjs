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

const voxels = {24: 27648, 32: 65536, 48: 221184, 80: 1024000, 160: 8192000, 720: 1036800};
const nsPerVoxel = (name, n) => {
  const time = seconds(`${name}/${n}`);
  return time && (time * 1e9) / voxels[n];
};
table(
  ['operator, ns a voxel', '221 thousand', '1.02 million'],
  [
    ['single precision', round(nsPerVoxel('apply<3, float>', 48)), round(nsPerVoxel('apply<3, float>', 80))],
    ['double precision', round(nsPerVoxel('apply<3, double>', 48)), round(nsPerVoxel('apply<3, double>', 80))],
    ['single precision, squares', '', round(nsPerVoxel('apply<2, float>', 720))],
  ],
);
console.log(`\nThe single-precision operator takes ${instructions} instructions for each voxel (AVX2, callgrind).`);

// Of the single-precision operator: x and the factor are read, y is read and written; the transforms there and
// back take 144 operations a voxel, the blocks and the factor 90, adding the corners up 24.
const memory = find('memoryLimit')?.bytes_per_second;
const arithmetic = find('arithmeticLimit')?.items_per_second;
const applied = nsPerVoxel('apply<3, float>', 80);
if (memory && arithmetic && applied)
  table(
    ['limit of this machine, in the same run', 'measured', 'the operator would take, ns a voxel', 'share of it reached'],
    [
      ['memory traffic, 40 bytes a voxel', `${round(memory / 1e9)} GB/s`, round(40e9 / memory), `${round((4000e9 / memory / applied))} %`],
      ['arithmetic, 258 operations a voxel', `${round(arithmetic / 1e9)} Gflop/s`, round(258e9 / arithmetic), `${round(25800e9 / arithmetic / applied)} %`],
    ],
  );

const solved = (name) => {
  const run = find(name);
  return run ? `${round(seconds(run.name))} s, ${run.iterations_needed} iterations` : '';
};
table(
  ['set-up and solve from zero, 1e-6', '28 thousand', '221 thousand', '1.02 million', 'two loads at 1.02 million', '1.04 million squares'],
  [0, 1].map((lattice) => [
    lattice ? 'lattice of bars three cells wide, contrast 1e9' : 'uniform block',
    ...[24, 48, 80].map((n) => solved(`solve<3>/n:${n}/lattice:${lattice}/loads:1`)),
    solved(`solve<3>/n:80/lattice:${lattice}/loads:2`),
    solved(`solve<2>/n:720/lattice:${lattice}/loads:1`),
  ]),
);

table(
  ['part of an iteration at 1.02 million', 'ms'],
  ['setUp', 'energies', 'filter', 'projection'].map((part) => [part, round(1000 * (seconds(`${part}/80`) ?? NaN))]),
);

const designs = [1, 2].map((cases) => find(`design/n:80/cases:${cases}`));
if (designs[0])
  table(
    ['60 design iterations at 1.02 million', 's', 'solver iterations', 'compliance', 'of an iteration not spent on solving'],
    designs.map((run, i) => [
      `${i + 1} case${i ? 's' : ''}`,
      round(run.real_time),
      run.solver_iterations,
      round(run.compliance, 6),
      `${round(100 * run.other_share)} %`,
    ]),
  );

table(
  ['lattice, alone in its process', 'voxels', 'set-up and solve, s', 'peak, MB', 'bytes a voxel', 'iterations', 'compliance'],
  peers.map((p) => [p.solver, p.voxels, p.seconds, round(p.bytes / 1e6), round(p.bytes / p.voxels), p.converged ? p.iterations : `broke off after ${p.iterations}`, p.compliance]),
);
console.log(`\ninspect of 500 faces: ${inspect} ms; check of a million voxels from CAD: ${check} ms (the better of two).`);

const at = (solver, n) => peers.filter((p) => p.solver === solver && p.n === n && p.converged);
const best = (list) => list.reduce((a, b) => (b && (!a || b.seconds < a.seconds) ? b : a), undefined);
const ours = best(at('ours', 80));
const other = best(at('petsc', 80));
const figures = {
  apply_ns_per_voxel: nsPerVoxel('apply<3, float>', 80),
  apply_instructions_per_voxel: instructions,
  solve_1m_s: ours?.seconds,
  design60_1m_s: designs[0]?.real_time,
  design60_other_share: designs[0]?.other_share,
  solver_bytes_per_voxel: ours && ours.bytes / ours.voxels,
  time_ratio_vs_best_1m: ours && other && other.seconds / ours.seconds,
  memory_ratio_vs_best_1m: ours && other && other.bytes / ours.bytes,
  compliance_rel_diff_1m: ours && other && Math.abs(ours.compliance / other.compliance - 1),
  solve_8m_s: best(at('ours', 160))?.seconds,
  inspect_500_faces_ms: Number(inspect),
  check_1m_ms: Number(check),
};
console.log();
for (const [name, value] of Object.entries(figures)) if (value !== undefined) console.log(`${name} ${round(value, 4)}`);
if (figuresFile) fs.writeFileSync(figuresFile, `${JSON.stringify(figures, null, 2)}\n`);
