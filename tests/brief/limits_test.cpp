// What a brief may ask at most. Every case is refused before anything is made of it; that it is refused fast
// and in little memory follows from where.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/stat.h>

#include "barelattice/base/file.hpp"
#include "barelattice/prepare/job.hpp"
#include "support/brief.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using testing::changed;
using ::testing::Contains;
using ::testing::HasSubstr;
using testing::kBrief;
using ::testing::Not;

std::string refusal(const std::string& text) {
  try {
    prepare(parseBrief(text, "test.toml"));
  } catch (const BriefError& error) {
    EXPECT_LT(std::string(error.what()).size() + error.cure().size(), 5000U);
    EXPECT_GT(error.place().line, 0) << error.what();
    return error.what();
  }
  ADD_FAILURE() << "was accepted";
  return {};
}

/// The test brief with more shapes.
std::string with(const std::string& shapes) {
  return changed("[design]", shapes + "[design]");
}

TEST(Limits, ofKeys) {
  std::string key = "a";
  for (int i = 0; i < 50'000; ++i) key += ".a";
  for (const char* form : {"{} = 1\n", "[{}]\n", "x = {{ {} = 1 }}\n", "[[{}]]\n", "\"q\".{} = 1\n"})
    EXPECT_THAT(refusal(kBrief + fmt::format(fmt::runtime(form), key)), HasSubstr("more than 50 parts"))
        << form;
  // Dots that are no parts of keys: of text, of comments, of numbers.
  const std::string dots(200, '.');
  EXPECT_NO_THROW(parseBrief(fmt::format("title = \"{0}\" # {0}\n", dots) + kBrief, "test.toml"));
  EXPECT_NO_THROW(parseBrief(fmt::format("title = '''{0}\n\"{0}'''\n", dots) + kBrief, "test.toml"));
  EXPECT_NO_THROW(parseBrief(fmt::format("title = \"\\\"{0}\"\n", dots) + kBrief, "test.toml"));
  EXPECT_NO_THROW(
      parseBrief(fmt::format("title = \"\"\"{0}\\\"\"\" {0}\"\"\"\n", dots) + kBrief, "test.toml"));
}

TEST(Limits, ofShapes) {
  std::string chain = "s0 = { union = [\"block\"] }\n";
  for (int i = 1; i < 100; ++i) chain += fmt::format("s{} = {{ union = [\"s{}\"] }}\n", i, i - 1);
  EXPECT_THAT(refusal(with(chain)), HasSubstr("shapes each made from the next"));
  std::string many;
  for (int i = 0; i < 2001; ++i) many += fmt::format("s{} = {{ union = [\"block\"] }}\n", i);
  EXPECT_THAT(refusal(with(many)), HasSubstr("more than 2000"));
  std::string mirrors = "m0 = { mirror = { of = \"block\", across = \"x\", at = \"70 mm\" } }\n";
  for (int i = 1; i < 30; ++i)
    mirrors += fmt::format("m{} = {{ mirror = {{ of = \"m{}\", across = \"x\", at = \"{} mm\" }} }}\n", i,
                           i - 1, 70 + i);
  EXPECT_THAT(refusal(with(mirrors)), HasSubstr("pieces, more than 20000"));
  const auto repeats = [](int times) {
    return fmt::format(
        "r1 = {{ repeat = {{ of = \"pin\", times = {0}, step = [\"1 mm\", \"0 mm\", \"0 mm\"] }} }}\n"
        "r2 = {{ repeat = {{ of = \"r1\", times = {0}, step = [\"0 mm\", \"1 mm\", \"0 mm\"] }} }}\n",
        times);
  };
  EXPECT_THAT(refusal(with(repeats(1000))), HasSubstr("1000000 pieces, more than 20000"));
  EXPECT_NO_THROW(parseBrief(with(repeats(100)), "test.toml"));
}

TEST(Limits, ofNames) {
  const std::string name(1'000'000, 'n');
  EXPECT_THAT(refusal(changed("push = {", name + " = {")), HasSubstr("longer than 100 bytes"));
  EXPECT_THAT(refusal(with(name + " = { union = [\"block\"] }\n")), HasSubstr("longer than 100 bytes"));
  EXPECT_THAT(refusal(changed("push = {", "\"\\u001b[31m\" = {")), HasSubstr("control character"));
  EXPECT_THAT(refusal(changed("\"block\"\nkeep", "\"" + name + "\"\nkeep")), HasSubstr("unknown shape"));
  EXPECT_THAT(refusal(kBrief + name + " = 1\n"), HasSubstr("unknown key"));
}

TEST(Limits, ofLengths) {
  EXPECT_THAT(refusal(changed("\"6 mm\"", "\"9 m\"")),
              HasSubstr("'smallest_member' is 9000 mm, and the design space is 60 x 20 x 20 mm"));
  // What only cuts may be as large as it likes: nothing but the part near the space is looked at.
  for (const char* cut :
       {R"(far = { box = { from = ["20 mm", "-10 m", "15 mm"], to = ["30 mm", "10 m", "10 m"] } })",
        R"(far = { sphere = { centre = ["30 mm", "-10 m", "0 m"], radius = "10.002 m" } })"}) {
    std::string text = with(std::string(cut) + "\n");
    text.replace(text.find("[\"pin\"]"), 7, "[\"far\"]");
    EXPECT_NO_THROW(prepare(parseBrief(text, "test.toml"))) << cut;
  }
  // What is kept may not: it belongs to the space.
  EXPECT_THAT(
      [] {
        try {
          prepare(parseBrief(changed("[\"54 mm\", \"0 mm\"", "[\"-54 m\", \"-54 m\""), "test.toml"));
        } catch (const InputError& error) {
          return std::string(error.what());
        }
        return std::string();
      }(),
      HasSubstr("54060 x 54020 x 20 mm, holds more than"));
}

TEST(Limits, ofWhatIsOpened) {
  const std::filesystem::path pipe = ownFolder() / "pipe.toml";
  std::filesystem::remove(pipe);
  ASSERT_EQ(::mkfifo(pipe.c_str(), 0600), 0);
  EXPECT_THROW(readBrief(pipe), InputError) << "a pipe without a writer would wait for ever";
  EXPECT_THROW(readBrief("/dev/zero"), InputError);
  EXPECT_THROW(readBrief(ownFolder()), InputError);
  const std::filesystem::path large = ownFolder() / "large.toml";
  writeFile(large, kBrief + std::string(9'000'000, ' '));
  EXPECT_THROW(readBrief(large), InputError);
}

TEST(Limits, ofWhatHangsTogether) {
  // A keep, and a support, 70 mm beside the part.
  const std::string away =
      "loose = { box = { from = [\"0 mm\", \"90 mm\", \"0 mm\"], to = [\"10 mm\", \"100 mm\", \"10 mm\"] } "
      "}\n";
  std::string text = with(away);
  text.replace(text.find("keep = [\"pad\"]"), 14, "keep = [\"pad\", \"loose\"]");
  EXPECT_THAT(refusal(text),
              HasSubstr("keep \"loose\" is on a piece that nothing joins to any load, round (5, 9"));
  text.replace(text.find("[supports]"), 10,
               "loose = { of = \"loose\", kind = \"plane\", facing = \"-x\" }\n[supports]\nloose = { face = "
               "\"loose\" }");
  EXPECT_THAT(refusal(text), HasSubstr("[supports.loose] holds a piece that nothing joins to any load"));
  // Loaded, it has to be held by itself: in x alone it is not.
  text.replace(text.find("face = \"loose\""), 14, "face = \"loose\", hold = [\"x\"]");
  text.replace(text.find("[loads]"), 7,
               "[loads]\nloose = { face = \"loose\", force = [\"9 N\", \"0 N\", \"0 N\"] }");
  text.replace(text.find("push = 1.5"), 10, "push = 1.5, loose = 1.0");
  EXPECT_THAT(refusal(text), HasSubstr("leave a rigid motion of a piece of the design space free"));
  text.replace(text.find(", hold = [\"x\"]"), 14, "");
  EXPECT_THAT(prepare(parseBrief(text, "test.toml")).warnings,
              Contains(HasSubstr("it will be so many parts")));
}

TEST(Limits, ofFacesInsideThePart) {
  // The pin's wall is a bore while the pin is cleared; without that it lies within the block.
  const std::string bore = changed("push = { face = \"tip\"", "push = { face = \"bore\"");
  const std::string faces = "[faces]\nbore = { of = \"pin\", kind = \"cylinder\" }";
  EXPECT_THAT(
      refusal(testing::changedIn(testing::changedIn(bore, "[faces]", faces), "clear = [\"pin\"]\n", "")),
      HasSubstr("[loads.push] acts inside the design space: "));
}

TEST(Limits, ofMirrors) {
  const auto mirrored = [](const char* plane) {
    return changed("\"6 mm\"", std::string("\"6 mm\"\nmirror = ") + plane);
  };
  EXPECT_THAT(refusal(mirrored("{ across = \"y\", at = \"90 mm\" }")), HasSubstr("from 0 to 20 mm along y"));
  EXPECT_THAT(prepare(parseBrief(mirrored("{ across = \"y\", at = \"12 mm\" }"), "test.toml")).warnings,
              Contains(HasSubstr("has no like on the other side")));
  EXPECT_THAT(prepare(parseBrief(mirrored("{ across = \"y\", at = \"10 mm\" }"), "test.toml")).warnings,
              Not(Contains(HasSubstr("mirror"))));
}

}  // namespace
}  // namespace barelattice
