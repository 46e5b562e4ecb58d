// Loads the plug-in by its path, as a program does that was there before it.
#include <dlfcn.h>

#include <cstdio>

int main(int, char** arguments) {
  void* plugin = dlopen(arguments[1], RTLD_NOW | RTLD_LOCAL);
  if (!plugin) return std::printf("%s\n", dlerror()), 1;
  const auto volume = reinterpret_cast<double (*)(double)>(dlsym(plugin, "volumeOfABall"));
  const double found = volume ? volume(1) : 0;
  std::printf("volume %.3f, of nothing %g\n", found, volume ? volume(-1) : 0);
  return found > 4.1 && found < 4.3 && volume(-1) == -1 ? 0 : 1;
}
