/// @file
/// VTK XML files of the proof mesh with its results.
#pragma once

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

#include "barelattice/proof/proof.hpp"

namespace barelattice {

/// The surface of a proof mesh with fields on its vertices, as read back for pictures.
struct ProofSurface {
  struct Case {
    std::string name;
    std::vector<float> vonMises;        ///< per vertex, Pa
    std::vector<float> principalMost;   ///< largest principal stress per vertex, Pa
    std::vector<float> principalLeast;  ///< smallest principal stress per vertex, Pa
    std::vector<float> displacement;    ///< three per vertex, m
  };
  struct Mode {
    std::string name;
    std::vector<float> shape;  ///< three per vertex, the largest of length one
  };
  TriangleMesh mesh;
  std::vector<Case> cases;
  std::vector<Mode> modes;  ///< by set of supports, the lowest first
};

/// Writes quadratic tetrahedra (VTK cell type 24), positions and displacements in mm, stresses in MPa. The
/// stress of an edge middle is the mean of the edge's ends. Natural modes are scaled to a largest
/// displacement of one. The file appears whole or not at all.
void writeVtu(const std::filesystem::path& path, const QuadraticTets& mesh, const Proof& proof);

/// Reads back what writeVtu wrote, reduced to the surface.
/// @throws InputError naming the file and what is wrong with it.
ProofSurface readProofSurface(const std::filesystem::path& path);

/// The same from the text of a file.
ProofSurface parseProofSurface(const std::string& text);

}  // namespace barelattice
