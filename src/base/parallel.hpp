/// @file
/// Parallel loops and sums over blocks that do not depend on the number of threads, so that every result is
/// the same to the bit on one thread or many.
#pragma once

#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <cstddef>
#include <thread>
#include <vector>

namespace barelattice {

/// Items per block. Large enough that scheduling costs under a percent of streaming 4096 doubles through the
/// second-level cache, small enough that 100,000 items still spread over two dozen threads.
inline constexpr std::size_t kBlockSize = 4096;

/// Calls task(i) once for each i of [0, count), in any order, on any thread.
template <class Task>
void runTasks(std::size_t count, const Task& task) {
#ifdef __SANITIZE_THREAD__
  // The thread sanitizer cannot see into Debian's TBB and would report its every hand-over. Plain threads it
  // understands; the counter orders nothing between tasks, so races between them show.
  std::atomic<std::size_t> next{0};
  const auto work = [&] {
    for (std::size_t i; (i = next.fetch_add(1, std::memory_order_relaxed)) < count;) task(i);
  };
  std::vector<std::thread> others(count > 1 ? 2 : 0);
  for (std::thread& other : others) other = std::thread(work);
  work();
  for (std::thread& other : others) other.join();
#else
  tbb::parallel_for(std::size_t{0}, count, task);
#endif
}

/// Calls body(begin, end) once for each block of [0, count); blocks run in any order, on any thread.
template <class Body>
void forEachBlock(std::size_t count, const Body& body, std::size_t blockSize = kBlockSize) {
  const std::size_t blocks = (count + blockSize - 1) / blockSize;
  runTasks(blocks, [&](std::size_t block) {
    const std::size_t begin = block * blockSize;
    body(begin, std::min(begin + blockSize, count));
  });
}

/// Calls body(i) once for each i of [0, count).
template <class Body>
void forEach(std::size_t count, const Body& body, std::size_t blockSize = kBlockSize) {
  forEachBlock(
      count,
      [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) body(i);
      },
      blockSize);
}

/// Adds up body(begin, end), the partial sum of one block, over all blocks in their order.
template <class Body>
double sumBlocks(std::size_t count, const Body& body, std::size_t blockSize = kBlockSize) {
  std::vector<double> partial((count + blockSize - 1) / blockSize);
  forEachBlock(
      count, [&](std::size_t begin, std::size_t end) { partial[begin / blockSize] = body(begin, end); },
      blockSize);
  double sum = 0;
  for (const double part : partial) sum += part;
  return sum;
}

}  // namespace barelattice
