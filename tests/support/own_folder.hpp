// A folder for the files of one test, so that tests may run beside each other.
#pragma once

#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <string>

namespace barelattice {

/// Of the running test; made if need be.
inline std::filesystem::path ownFolder() {
  const ::testing::TestInfo& test = *::testing::UnitTest::GetInstance()->current_test_info();
  std::string name = std::string(test.test_suite_name()) + "." + test.name();
  std::replace(name.begin(), name.end(), '/', '_');  // of a test with parameters
  std::filesystem::path folder = std::filesystem::path(::testing::TempDir()) / name;
  std::filesystem::create_directories(folder);
  return folder;
}

}  // namespace barelattice
