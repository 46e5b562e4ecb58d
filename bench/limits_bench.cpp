// What the machine can do at most, measured in the same run as the solver: memory traffic as a stream triad,
// arithmetic as chains of fused multiply-adds in single precision, both on all cores.

#include <benchmark/benchmark.h>

#include <vector>

#include "base/parallel.hpp"
#include "base/simd.hpp"

namespace {

using namespace barelattice;

BARELATTICE_DISPATCH void triad(const float* b, const float* c, float* a, std::size_t count) {
#pragma GCC ivdep
  for (std::size_t i = 0; i < count; ++i) a[i] = b[i] + 0.5F * c[i];
}

void memoryLimit(benchmark::State& state) {
  constexpr std::size_t kCount = std::size_t{1} << 25;  // three fields of 134 MB, beyond any cache
  std::vector<float> a(kCount), b(kCount, 1.0F), c(kCount, 2.0F);
  for (auto _ : state)
    forEachBlock(
        kCount,
        [&](std::size_t begin, std::size_t end) {
          triad(b.data() + begin, c.data() + begin, a.data() + begin, end - begin);
        },
        std::size_t{1} << 18);
  // The line of a is read before it is written.
  state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(4 * sizeof(float) * kCount));
}
BENCHMARK(memoryLimit)->UseRealTime()->Unit(benchmark::kMillisecond);

constexpr int kChains = 160;  // ten registers of sixteen: enough to hide the latency of an addition
constexpr int kSteps = 20000;

BARELATTICE_DISPATCH void multiplyAdd(float (&values)[kChains]) {
  float local[kChains];
  for (int i = 0; i < kChains; ++i) local[i] = values[i];
  for (int step = 0; step < kSteps; ++step)
    for (int i = 0; i < kChains; ++i) local[i] = 0.999F * local[i] + 0.001F;
  for (int i = 0; i < kChains; ++i) values[i] = local[i];
}

void arithmeticLimit(benchmark::State& state) {
  constexpr std::size_t kTasks = 64;
  std::vector<float> results(kTasks);
  for (auto _ : state)
    runTasks(kTasks, [&](std::size_t task) {
      float values[kChains];
      for (int i = 0; i < kChains; ++i) values[i] = static_cast<float>(i) + static_cast<float>(task);
      multiplyAdd(values);
      results[task] = values[0];
    });
  benchmark::DoNotOptimize(results.data());
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(kTasks * 2 * kChains * kSteps));
}
BENCHMARK(arithmeticLimit)->UseRealTime()->Unit(benchmark::kMillisecond);

}  // namespace
