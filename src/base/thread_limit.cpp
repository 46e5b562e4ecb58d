#include "barelattice/base/thread_limit.hpp"

#include <tbb/global_control.h>

#include "barelattice/base/error.hpp"

namespace barelattice {
namespace {

std::size_t atLeastOne(std::size_t threads) {
  if (threads == 0) throw InputError("a limit of 0 threads leaves none to work", "give 1 or more");
  return threads;
}

}  // namespace

struct ThreadLimit::Control {
  tbb::global_control control;
};

ThreadLimit::ThreadLimit(std::size_t threads)
    : control_(new Control{{tbb::global_control::max_allowed_parallelism, atLeastOne(threads)}}) {}
ThreadLimit::~ThreadLimit() = default;

}  // namespace barelattice
