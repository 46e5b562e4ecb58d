#include "child_process.hpp"

#include <fcntl.h>
#include <poll.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <chrono>
#include <cmath>
#include <csignal>

#include "barelattice/base/error.hpp"

namespace barelattice {
namespace {

#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
constexpr bool kLimitMemory = false;  // sanitizers reserve terabytes of addresses
#else
constexpr bool kLimitMemory = true;
#endif

/// Becomes the program; only calls that are safe after a fork.
[[noreturn]] void become(char* const* arguments, int output, const ChildLimits& limits) {
  ::dup2(output, STDOUT_FILENO);
  const int nothing = ::open("/dev/null", O_RDWR);
  ::dup2(nothing, STDIN_FILENO);
  ::dup2(nothing, STDERR_FILENO);
  const auto limit = [](auto resource, double value) {
    const auto most = static_cast<rlim_t>(value);
    const rlimit both{most, most};
    ::setrlimit(resource, &both);
  };
  if (kLimitMemory) limit(RLIMIT_AS, limits.bytes);
  limit(RLIMIT_CPU, std::ceil(limits.seconds) + 1);
  limit(RLIMIT_CORE, 0);
  ::execv(arguments[0], arguments);
  ::_exit(127);
}

}  // namespace

ChildOutcome runChild(const std::vector<std::string>& command, const ChildLimits& limits) {
  std::vector<char*> arguments;
  for (const std::string& word : command) arguments.push_back(const_cast<char*>(word.c_str()));
  arguments.push_back(nullptr);
  std::array<int, 2> ends{};
  if (::pipe2(ends.data(), O_CLOEXEC) != 0) throw RunError("cannot make a pipe to " + command[0]);
  const pid_t child = ::fork();
  if (child < 0) throw RunError("cannot start " + command[0]);
  if (child == 0) become(arguments.data(), ends[1], limits);
  ::close(ends[1]);
  ChildOutcome outcome;
  using Clock = std::chrono::steady_clock;
  const auto end = Clock::now() + std::chrono::duration<double>(limits.seconds);
  std::array<char, 1 << 16> buffer;
  while (true) {
    const double left = std::chrono::duration<double>(end - Clock::now()).count();
    pollfd watched{ends[0], POLLIN, 0};
    const int ready = left > 0 ? ::poll(&watched, 1, static_cast<int>(std::ceil(left * 1e3))) : 0;
    if (ready < 0 && errno == EINTR) continue;
    const ssize_t count = ready > 0 ? ::read(ends[0], buffer.data(), buffer.size()) : -1;
    if (count == 0) break;
    if (count < 0 && ready > 0 && errno == EINTR) continue;
    if (count > 0) outcome.output.append(buffer.data(), static_cast<std::size_t>(count));
    if (count < 0 || outcome.output.size() > limits.output) {
      outcome.outOfTime = ready == 0;
      ::kill(child, SIGKILL);
      break;
    }
  }
  ::close(ends[0]);
  int status = 0;
  while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
  }
  if (WIFSIGNALED(status) && WTERMSIG(status) == SIGXCPU) outcome.outOfTime = true;
  return outcome;
}

}  // namespace barelattice
