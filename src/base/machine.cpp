#include "barelattice/base/machine.hpp"

#include <unistd.h>

namespace barelattice {

double machineMemory() {
  return static_cast<double>(::sysconf(_SC_PHYS_PAGES)) * static_cast<double>(::sysconf(_SC_PAGE_SIZE));
}

}  // namespace barelattice
