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

/// Perceptually even from dark to light, readable in grey (after Nunez, Anderton & Renslow 2018, cividis).
inline constexpr std::array<std::string_view, 9> kField{"#00224e", "#123570", "#3b496c", "#575d6d", "#707173",
                                                        "#8a8678", "#a59c74", "#c3b369", "#fee838"};

}  // namespace barelattice::palette
