// The colours of Bare Lattice, defined here once. The roles stay apart for all common kinds of colour
// blindness, and none is told by colour alone: spaces and clears are see-through, supports and loads carry
// names.
#pragma once

#include <array>
#include <string_view>

namespace barelattice::palette {

inline constexpr std::string_view kSpace = "#6f8296";
inline constexpr std::string_view kKeep = "#1f6f8b";
inline constexpr std::string_view kClear = "#c65d3b";
inline constexpr std::string_view kPart = "#7c6a58";  // bonded parts; other materials see-through
inline constexpr std::string_view kSupport = "#5b3f8c";
inline constexpr std::string_view kLoad = "#d28e00";
inline constexpr std::string_view kSolid = "#b9c4cc";
inline constexpr std::string_view kLoose = "#b3471d";  // pieces that hang on no keep; also listed in words
inline constexpr std::string_view kInk = "#1d2730";

/// For fields: dark to light in even steps of lightness (CIE 1976 L* from 16 to 92 in steps of 19/3), so that
/// it reads the same in grey and with any colour blindness; the hue (h_ab) goes evenly from 290 to 90
/// degrees, the chroma from 34 to 48 or as far as a screen has it.
inline constexpr std::array<std::string_view, 13> kField{
    "#102556", "#003761", "#02486a", "#025974", "#036b7e", "#027e86", "#00918a",
    "#15a488", "#55b482", "#83c37d", "#aed07c", "#dadb80", "#ffe6a9"};

}  // namespace barelattice::palette
