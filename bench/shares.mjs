// Prints where the processor's time goes in a benchmark, by the part of the method each function belongs to.
// Usage: node shares.mjs BENCH_SOLVER FILTER      needs perf (Debian: linux-perf)
import { spawnSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';

const [program, filter] = process.argv.slice(2);
const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'shares-'));
const data = path.join(folder, 'perf.data');
const run = (command, args) => {
  const done = spawnSync(command, args, { encoding: 'utf8', maxBuffer: 1 << 30 });
  if (done.status !== 0) {
    console.error(`${command}: ${done.error ?? done.stderr}`);
    process.exit(1);
  }
  return done.stdout;
};
run('perf', ['record', '-F', '300', '-o', data, program, `--benchmark_filter=${filter}`, '--benchmark_min_time=5']);
const samples = run('perf', ['script', '-i', data, '--no-demangle', '-F', 'ip,sym,dso']).split('\n').filter((line) => line.trim());
fs.rmSync(folder, { recursive: true });

// By mangled name, which tells the kernels of one name apart. The first that matches counts.
const parts = [
  ['finest grid: products in single precision', /applyKernel.*KernelDataILi[23]Eff/],
  ['finest grid: products in double precision', /applyKernel.*KernelDataILi[23]Ed/],
  ['first coarse grid: products', /applyKernel|multiplyKernel|applySpecial/],
  ['stored coarse grids', /couplings|diagonal[23]|StencilOperator/],
  ['smoothing, on what a product has just finished', /(start|fromX|enter|finish)(Scalar|Block)|subtract/],
  ['vectors of the iteration', /dotsKernel|advanceKernel|combineKernelEPKf|productKernel|VoxelSystem/],
  ['to and from coarse grids', /GridTransfer|addRow|halveRow|doubleRow/],
  ['filter, projection, update, sensitivities', /convolve|Projection|DensityFilter|updateByOpt|LayoutChain|MassFraction|KeepSolid|energyKernel|GridAnalysis|Readings|Assessment|OrbitAverage|4Loop|_exp|_pow|\bexp|\bpow/],
  ['set-up', /combineTables|combineKernel|blocksKernel|renew|cellsBelow|[mM]atrix|addProjected|cellAt|cellNodes|nodeDiagonal|invertBlocks|assemble|setScales|Eigen|ProjectedOperator|VoxelHierarchy/],
  ['buffers of the sweeps', /sweep|visitLayer|memset|memmove/],
  ['threads and system', /tbb|kernel|\[k\]|sched|vmlinux/],
];
const counts = new Map();
for (const sample of samples) {
  const part = parts.find(([, pattern]) => pattern.test(sample))?.[0] ?? 'the rest';
  counts.set(part, (counts.get(part) ?? 0) + 1);
}
console.log(`| ${filter} | share |\n| --- | --- |`);
for (const [part, count] of [...counts].sort((a, b) => b[1] - a[1])) console.log(`| ${part} | ${((100 * count) / samples.length).toFixed(1)} % |`);
