#include "barelattice/base/file_lock.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "barelattice/base/error.hpp"

namespace barelattice {

FileLock::FileLock(const std::filesystem::path& path)
    : descriptor_(::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644)) {
  if (descriptor_ < 0)
    throw RunError(fmt::format("cannot write {}: {}", path.string(), std::strerror(errno)));
  // Those who ask whether it is held do so for a moment.
  constexpr int kAsked = 5;
  constexpr useconds_t kMoment = 20000;
  bool own = false;
  for (int time = 0; time < kAsked && !own; ++time) {
    if (time > 0) ::usleep(kMoment);
    own = ::flock(descriptor_, LOCK_EX | LOCK_NB) == 0;
  }
  if (!own) {
    char holder[16] = {};
    const bool known = ::read(descriptor_, holder, sizeof holder - 1) > 0;
    ::close(descriptor_);
    throw RunError(fmt::format("another run is at work in {}{}", path.parent_path().string(),
                               known ? fmt::format(" (process {})", holder) : ""),
                   "wait until it has ended, or take another folder with --folder");
  }
  const std::string number = std::to_string(::getpid());
  if (::ftruncate(descriptor_, 0) == 0)
    static_cast<void>(!::write(descriptor_, number.data(), number.size()));
}

bool FileLock::isHeld(const std::filesystem::path& path) {
  const int descriptor = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (descriptor < 0) return false;
  const bool held = ::flock(descriptor, LOCK_SH | LOCK_NB) != 0;
  ::close(descriptor);
  return held;
}

FileLock::~FileLock() {
  ::close(descriptor_);
}

}  // namespace barelattice
