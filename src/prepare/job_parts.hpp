// What the files that prepare a job share. Internal to the room.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "barelattice/prepare/job.hpp"

namespace barelattice {

/// @throws BriefError always.
[[noreturn]] void refuse(const Brief& brief, TextPlace place, const std::string& what,
                         const std::string& cure);

/// What acts. @param faces in the brief's order.
Setup setupOf(const Brief& brief, std::vector<NamedFace> faces);

/// Sums up the cases.
/// @throws BriefError if a load or support acts on empty space or inside the space, if a load hangs on
/// nothing
///   held, if something is on a piece of its own, or if a motion is left free.
void checkActing(Job& job);

/// Pins that may join bodies of the space which do not touch, as text to paste; empty if no bores line up.
/// @param pieceOfCell those that are joined already have the same number.
std::string proposedConnections(const Job& job, const std::vector<int>& pieceOfCell);

/// Sums up the masses.
/// @throws BriefError if a material holds no voxel, or a target is outside what keeps and space allow.
void settleMass(Job& job);
/// The targets of parts of the space, as limits.
template <int D>
std::vector<Limit> partLimits(const Domain<D>& domain, const Job& job);

/// Whether the layout is designed for its natural modes.
bool looksAtModes(const Brief& brief);
/// Gives a layout problem whose massFraction is not settled yet the goal and the limits of the brief.
template <int D>
void addWanted(const Domain<D>& domain, const Job& job, LayoutProblem<D>& problem);
/// Warns of limits that say nothing.
/// @throws BriefError where a goal cannot be sought, or a limit cannot be held or contradicts another.
void checkWanted(Job& job);

/// Where cells have to begin for the sake of the making rules.
BetweenCells betweenCells(const Brief& brief);
/// Gives a flat parting the places it may have.
void placePartings(Brief& brief);
/// @throws BriefError if making rules exclude each other.
void refuseContradictions(const Brief& brief);
/// Warns of symmetries that the design space does not have.
/// @throws BriefError if a making rule finds nothing of the space.
void checkMaking(Job& job);

/// @throws BriefError where half of a job is to stand for all of it, and does not.
void checkHalves(const Job& job);
/// The layers of nodes in which a job is cut; none if all of it is solved.
template <int D>
MirrorLayers<D> mirrorLayers(const Job& job, const Grid<D>& grid);

/// In a sheet the middle of its thickness.
template <int D>
Vec3 cellCentre(const Domain<D>& domain, std::size_t cell, const Regions& regions) {
  Vec3 centre(0, 0, 0.5 * regions.thickness);
  centre.head<D>() = domain.grid.frame().centre(domain.grid.cellIndex(cell));
  return centre;
}

/// Cells within `reach` (m) of a held or loaded face: what the part hangs on goes on beyond the design space.
template <int D>
std::vector<std::uint8_t> attachedCells(const Grid<D>& grid, const Job& job, double reach);

}  // namespace barelattice
