// The one description of all records: under which key of results.json a figure stands, in what unit, and what
// it means. JSON is written and read by it, and docs/results.md is made from it. Internal to the room.
//
// A visitor is called with key, member, meaning, and the factor from SI to the unit the key ends with. `flat`
// puts the fields of a record beside the others; `maybe` leaves a key out where there is nothing to say.
#pragma once

#include <numbers>

#include "barelattice/base/quantity.hpp"
#include "barelattice/run/records.hpp"

namespace barelattice {

inline constexpr double kInMm = kMillimetresPerMetre;
inline constexpr double kInDegrees = 180 / std::numbers::pi;
inline constexpr double kInSquareMm = kInMm * kInMm;
inline constexpr double kInCubicMm = kInMm * kInMm * kInMm;
inline constexpr double kInMPa = 1e-6;

template <class V>
void describeFields(StepStamp& r, V& f) {
  f("fingerprint", r.fingerprint, "hash of the inputs, and of the step before");
  f("inputs", r.inputs, "the values the step depends on");
  f("files", r.files,
    "hash of every file the step wrote that is read again (FNV-1a, 64 bits); files that are missing or not "
    "as "
    "they were written are not used");
}

template <class V>
void describeFields(FailureRecord& r, V& f) {
  f("what", r.what, "what went wrong");
  f("cure", r.cure, "what to change");
  f.maybe("fingerprint", r.fingerprint, "of a proof: what it depended on");
}

template <class V>
void describeFields(MaterialRecord& r, V& f) {
  f("name", r.name, "as the brief calls it");
  f("bonded", r.bonded, "whether it is that of a part joined to the design");
  f("strength_MPa", r.strength, "stress that counts as its limit", kInMPa);
}

template <class V>
void describeFields(MassesRecord& r, V& f) {
  f("space", r.space, "of the full design space, without bonded parts");
  f("keep", r.keep, "of the keeps");
  f("target", r.target, "that is wanted; 0 where the lightest part is sought");
  f("bonded", r.bonded, "of bonded parts");
}

template <class V>
void describeFields(LayoutCaseRecord& r, V& f) {
  f("name", r.name, "of the case");
  f("compliance_J", r.compliance, "of the layout, on the voxels: the prediction");
  f("black_and_white_J", r.blackAndWhite, "of the layout read as solid and empty voxels");
  f("face_displacement_mm", r.faceDisplacement, "mean displacement by face, on the voxels", kInMm);
}

template <class V>
void describeFields(ImportedRecord& r, V& f) {
  f("samples", r.samples, "how many were read");
  f("spacing_mm", r.spacing, "about how far they lie apart", kInMm);
  f("mass_given_kg", r.massGiven, "of all samples");
  f("mass_taken_kg", r.massTaken, "of those inside the design space");
  f("share_outside", r.shareOutside, "of the mass");
}

template <class V>
void describeFields(TriedRecord& r, V& f) {
  f("way", r.way, "of making, as a brief states it");
  f("compliance_J", r.compliance, "the goal on voxels up to twice as large; null where it failed");
  f("failure", r.failure, "why it failed; else empty");
}

template <class V>
void describeFields(ChoiceRecord& r, V& f) {
  f("fingerprint", r.fingerprint, "of what it depends on");
  f("tried", r.tried, "in the order of the brief");
  f("taken", r.taken, "the number of the best, from 0");
}

template <class V>
void describeFields(BoundsRecord& r, V& f) {
  f("fingerprint", r.fingerprint, "of what they depend on");
  f("values", r.values, "in SI units, in the order of the brief");
}

template <class V>
void describeFields(MadeWithinRecord& r, V& f) {
  f("offset_mm", r.offset, "of the surface, in or out", kInMm);
  f("compliance_J", r.compliance, "the goal at the thinner layout");
  f("thin_kg", r.thin, "mass of the thinner layout");
  f("thick_kg", r.thick, "mass of the thicker layout");
}

template <class V>
void describeFields(DesignedRecord& r, V& f) {
  f("what", r.what, "is bounded");
  f("unit", r.unit, "of the figures here");
  f("value", r.value, "of the layout, on the voxels");
  f("correction", r.correction,
    "what it was multiplied with (a safety factor: divided by) before it was held against the bound: what "
    "proofs of rounds "
    "before found over the voxels");
  f("bound", r.bound, "of the brief");
  f("sense", r.sense, "at most, or at least");
  f("worst_case", r.worstCase, "in which the value is that");
  f("columns", r.columns, "of history.csv that are its figures");
}

template <class V>
void describeFields(RoundLimitRecord& r, V& f) {
  f.flat("what", r.designed);
  f("proved", r.proved, "of the solid");
  f("error", r.error, "estimated");
  f("verdict", r.verdict, "met, not met, or inconclusive");
}

template <class V>
void describeFields(RoundRecord& r, V& f) {
  f("mass_kg", r.mass, "of the layout");
  f("iterations", r.iterations, "since the first round began");
  f("limits", r.limits, "as designed and as proved");
  f("verdict", r.verdict, "of the whole proof");
}

template <class V>
void describeFields(RoundsRecord& r, V& f) {
  f("fingerprint", r.fingerprint, "of what they depend on");
  f("done", r.done, "one after the other");
  f("corrections", r.corrections,
    "by limit, of the layout as it is or is to become; none in the first round");
  f("taken", r.taken, "number of the round whose part stands, from 1");
  f.maybe("ended", r.ended, "why another round failed, so that no other followed");
  f("finished", r.finished, "whether no other follows");
}

template <class V>
void describeFields(DesignRecord& r, V& f) {
  f("failure", r.failure, "why later steps refuse the layout; null where they go on");
  f("goal", r.goal, "how cases become one figure");
  f("iterations", r.iterations, "that were done");
  f("compliance_J", r.compliance, "the goal at the layout");
  f("eroded_J", r.eroded, "the goal at the thinner layout that keeps members thick");
  f("black_and_white_J", r.blackAndWhite, "the goal at the layout read as solid and empty voxels");
  f("black_and_white_threshold", r.threshold,
    "of the level, at which solid and empty voxels have the target mass");
  f("grey_over_space", r.greyOverSpace, "mean of 4 rho (1 - rho) over the space");
  f("grey_over_mass", r.greyOverMass, "the same weighted by the density rho");
  f("needed_mass_kg", r.neededMass,
    "where there was too little: at which what was found would hold, if that is up to half as much again; "
    "else "
    "0");
  f.maybe("made_within", r.made, "the layout made too thin and too thick, where [making] tells by how much");
  f("cases", r.cases, "in the order of the brief");
  f("steps", r.steps, "how the layout was bettered, and why so");
  f.maybe("limits", r.limits, "what the layout was designed to hold, in the order of the brief");
  f.maybe("goal_over_full", r.overFull,
          "terms of a goal of several kinds, each over its value for the full design space");
  f("seconds", r.seconds, "wall time of the iterations");
}

template <class V>
void describeFields(LayoutRecord& r, V& f) {
  f.flat("fingerprint", r.stamp);
  f("faces", r.faces, "hash of all faces");
  f("finished", r.finished, "false after a stop on request, and while the run is at work");
  f("settled", r.settled, "whether the layout stands still and holds, see docs/run-folder.md");
  f("stop", r.stop, "how the optimisation ended");
  f("mass_kg", r.mass, "of the layout");
  f.maybe("imported", r.imported, "where the layout was taken from a file; then what follows is missing");
  f.flat("goal", r.design);
}

template <class V>
void describeFields(BoreRecord& r, V& f) {
  f("face", r.face, "to which it belongs");
  f("diameter_mm", r.diameter, "asked", kInMm);
  f("hole", r.hole, "a bore; false for a boss");
  f("fits_mm", r.fits,
    "the largest pin that enters the bore of solid.stl, the smallest ring that passes over the boss; null "
    "where none was found",
    kInMm);
}

template <class V>
void describeFields(ExactFacesRecord& r, V& f) {
  f("triangles", r.triangles, "whose corners lie on faces of space, keeps and clears");
  f("largest_distance_mm", r.largestDistance,
    "between such faces and the surface: the sagitta of curved faces, the bevel of an edge that was not "
    "restored",
    kInMm);
  f("largest_at_mm", r.largestAt, "its place", kInMm);
  f("missing_mm2", r.missing, "of faces further than a spacing from the surface", kInSquareMm);
}

template <class V>
void describeFields(SolidRecord& r, V& f) {
  f.flat("fingerprint", r.stamp);
  f("threshold", r.threshold, "of the level at which it is read");
  f("spacing_mm", r.spacing, "of the lattice it was made on", kInMm);
  f("volume_mm3", r.volume, "enclosed", kInCubicMm);
  f("triangles_before", r.trianglesBefore, "before reducing and rounding");
  f("triangles", r.triangles, "of the surface");
  f("reduction_deviation_mm", r.deviation, "how far reducing moved it at most", kInMm);
  f("surface", r.surface, "sound, or its defects");
  f("pieces", r.pieces, "that hang on keeps");
  f("dropped_pieces", r.droppedPieces, "that did not");
  f("dropped_volume_mm3", r.droppedVolume, "of all of them", kInCubicMm);
  f("filled_voids", r.filledVoids, "too small to be wanted");
  f("filled_volume_mm3", r.filledVolume, "of all of them", kInCubicMm);
  f("exact_faces", r.exactFaces, "how well the surface keeps the faces of the brief");
  f("bores", r.bores, "round faces of the brief, measured on the surface");
  f.maybe("outline_corners", r.outlineCorners, "of a sheet");
  f.maybe("files_count_from_mm", r.filesCountFrom,
          "where coordinates in its files count from, far from the origin", kInMm);
  f("formats", r.formats, "it was written in besides STL");
  f("mass_kg", r.mass, "of the solid");
  f("wanted_mass_kg", r.wantedMass, "the target");
  f("volume_kept", r.volumeKept, "whether the threshold was chosen for the mass");
  f("mass_of_voxels_above_threshold_kg", r.massAboveThreshold, "what reading the level made of it");
  f("warnings", r.warnings, "what to know before it is used");
  f("seconds", r.seconds, "wall time");
}

template <class V>
void describeFields(PieceRecord& r, V& f) {
  f("centre_mm", r.centre, "of the piece of the face", kInMm);
  f("force_N", r.force, "on the part");
  f("moment_Nm", r.moment, "about that centre");
  f.maybe("axis", r.axis, "of a round piece, or the normal of a flat one");
  f.maybe("axial_N", r.axial, "the force along that axis");
  f.maybe("shear_N", r.shear, "what is left across it");
}

template <class V>
void describeFields(ReactionRecord& r, V& f) {
  f("force_N", r.force, "on the part, of the whole support");
  f("moment_Nm", r.moment, "about the origin");
  f("centre_mm", r.centre, "of its face", kInMm);
  f("own_moment_Nm", r.ownMoment, "about that centre");
  f("pieces", r.pieces, "the same for each piece of its face");
}

template <class V>
void describeFields(FigureRecord& r, V& f, double scale = 1) {
  f("value", r.value, "on the fine mesh", scale);
  f("coarse_mesh", r.coarse, "on the coarse one", scale);
  f("error", r.error, "estimated", scale);
}

template <class V>
void describeFields(VectorFigureRecord& r, V& f, double scale = 1) {
  f("value", r.value, "on the fine mesh", scale);
  f("coarse_mesh", r.coarse, "on the coarse one", scale);
  f("error", r.error, "of any component, estimated", scale);
}

template <class V>
void describeFields(PlaceRecord& r, V& f) {
  f("strength_used", r.used, "largest stress over strength");
  f("tension_MPa", r.tension, "largest principal stress", kInMPa);
  f("compression_MPa", r.compression, "size of the smallest one", kInMPa);
}

template <class V>
void describeFields(FrequenciesRecord& r, V& f) {
  f("cases", r.cases, "that stand on the same supports");
  f("lowest_Hz", r.lowest, "lowest first; stress of the loads has no part in them");
  f("converged", r.converged, "on the fine mesh");
}

template <class V>
void describeFields(BodyCaseRecord& r, V& f) {
  f("name", r.name, "of the case");
  f("compliance_J", r.compliance, "f^T u on the fine mesh, without temperature and preloads");
  f("compliance_error_J", r.complianceError, "estimated");
  f("strain_energy_J", r.energy, "of the whole state");
  f("strain_energy_by_material_J", r.energyByMaterial, "the same");
  f("largest_displacement_mm", r.largestDisplacement, "of any node", kInMm);
  f("face_displacement_mm", r.faceDisplacement, "mean by face", kInMm);
  f("face_rotation_deg", r.faceRotation, "mean by face, about the axes", kInDegrees);
  f("face_displacement_error_mm", r.faceDisplacementError, "estimated", kInMm);
  f("face_motion_mm", r.faceMotion, "size of that mean", kInMm);
  f("face_shift_mm", r.faceShift, "that mean as a vector, on both meshes", kInMm);
  f("face_turn_deg", r.faceTurn, "mean rotation, on both meshes", kInDegrees);
  f("peak_von_mises_MPa", r.peak, "anywhere", kInMPa);
  f("peak_at_mm", r.peakAt, "its place", kInMm);
  f("judged_everywhere", r.judgedEverywhere, "exclude_within left nothing of the body");
  f("judged_von_mises_MPa", r.judged, "largest, further than exclude_within from supports and loads", kInMPa);
  f("judged_von_mises_error_MPa", r.judgedError, "estimated", kInMPa);
  f("judged_at_mm", r.judgedAt, "its place", kInMm);
  f("percentiles_MPa", r.percentiles, "von Mises stress not exceeded in so many per cent of the volume",
    kInMPa);
  f("tension_MPa", r.tension, "largest principal stress", kInMPa);
  f("compression_MPa", r.compression, "smallest principal stress", kInMPa);
  f("judged_in", r.judgedIn, "the material that governs");
  f("safety_factor", r.safetyFactor, "its strength over the judged stress");
  f("safety_factor_error", r.safetyFactorError, "estimated");
  f("strength_used", r.used, "judged stress over strength");
  f("tension_found_MPa", r.tensionFigure, "largest principal stress, on both meshes", kInMPa);
  f("compression_found_MPa", r.compressionFigure, "size of the smallest one, on both meshes", kInMPa);
  f("compliance_found_J", r.complianceFigure, "on both meshes");
  f("places", r.places, "within which limits hold, in the order of the brief");
  f("error_order", r.errorOrder, "with which the energy's error falls");
  f("applied_force_N", r.appliedForce, "resultant of the loads");
  f("applied_moment_Nm", r.appliedMoment, "about the origin");
  f("reactions", r.reactions, "by support");
  f("unbalanced_N", r.unbalanced, "what loads and reactions add up to");
  f("solver_iterations", r.solverIterations, "on the fine mesh");
  f("solver_energy_error", r.solverEnergyError, "left by them, relative");
}

template <class V>
void describeFields(RequirementRecord& r, V& f) {
  f("what", r.what, "is required");
  f("unit", r.unit, "of the figures here");
  f("value", r.value, "found, in the case with the worst verdict");
  f("error", r.error, "estimated");
  f("coarse_mesh", r.coarse, "the value there");
  f("bound", r.bound, "of the brief");
  f("sense", r.sense, "at most, or at least");
  f("worst_case", r.worstCase, "which case that is");
  f("verdict", r.verdict, "met, not met, or inconclusive");
  f("to_decide", r.toDecide, "what would decide an inconclusive one; else null");
}

template <class V>
void describeFields(MakingRecord& r, V& f) {
  f("rule", r.rule, "its key in [making]");
  f("what", r.what, "is measured");
  f("unit", r.unit, "of the figures here");
  f("value", r.value, "found; null where there is none");
  f("bound", r.bound, "of the rule with its slack (docs/making.md); null where it has none");
  f("sense", r.sense, "at most, or at least");
  f("looked_up_to", r.lookedUpTo, "walls and gaps: what is wider is not told apart; 0 for others");
  f("share", r.share, "of the surface that does not hold it; of walls, gaps: below the smallest member");
  f("at_mm", r.at, "the worst place", kInMm);
  f("imposed", r.imposed, "whether the layout was made by it");
  f("verdict", r.verdict, "met, not met, or measured where nothing bounds it");
  f("note", r.note, "what the measure leaves out");
}

template <class V>
void describeFields(GapRecord& r, V& f) {
  f("mean", r.mean, "over the surface", kInMm);
  f("largest", r.largest, "anywhere", kInMm);
  f("largest_at_mm", r.largestAt, "its place", kInMm);
}

template <class V>
void describeFields(BodyRecord& r, V& f) {
  f.flat("fingerprint", r.stamp);
  f("required", r.required, "what it was judged by");
  f("tetrahedra", r.tetrahedra, "of the fine mesh");
  f("coarse_tetrahedra", r.coarseTetrahedra, "of the coarse one");
  f("mesh_ratio", r.meshRatio, "spacing of the coarse mesh over that of the fine one");
  f("nodes", r.nodes, "of the fine mesh");
  f("spacing_mm", r.spacing, "of its lattice", kInMm);
  f("mass_kg", r.mass, "of the surface where there is one, else of the fine mesh");
  f("coarse_mass_kg", r.coarseMass, "the same, else of the coarse one");
  f("bonded_mass_kg", r.bondedMass, "of bonded parts");
  f("smallest_angle_deg", r.smallestAngle, "dihedral, of any tetrahedron");
  f("largest_angle_deg", r.largestAngle, "the same");
  f("least_angles_by_ten_degrees", r.angles, "how many tetrahedra by their least angle");
  f("worst_elements_at_mm", r.worstElements, "where those with the least angles lie", kInMm);
  f("pieces", r.pieces, "of the mesh");
  f("face_share", r.faceShare, "how much of each face is on the body");
  f("face_offset_mm", r.faceOffset, "how far off it the body lies there, on average", kInMm);
  f("exclude_within_mm", r.exclusion, "of supports and loads stress is not judged", kInMm);
  f("compliance_J", r.compliance, "sum over the cases by their weights");
  f("compliance_error_J", r.complianceError, "estimated");
  f("cases", r.cases, "in the order of the brief");
  f("frequencies", r.frequencies, "natural frequencies, by sets of supports; none where none are asked for");
  f.maybe("surface_gap_mm", r.surfaceGap, "from the mesh to the exported surface");
  f.maybe("volume_difference", r.volumeDifference, "of the mesh to that surface, relative");
  f("requirements", r.requirements, "each with its verdict");
  f("making", r.making, "the making rules, measured on the surface; empty for bodies without one");
  f("mesh_difference", r.meshDifference, "between the meshes above which errors count threefold");
  f("verdict", r.verdict, "the worst of them, and of the making rules that bound something");
  f.maybe("doubts", r.doubts, "what keeps it from being called met");
  f("seconds", r.seconds, "wall time");
  f.maybe("file", r.file, "of a solid from outside");
  f.maybe("file_hash", r.fileHash, "the same");
  f.maybe("surface", r.surface, "sound, or its defects");
}

template <class V>
void describeFields(RunRecord& r, V& f) {
  f("method", r.method, "version of the computing; results of another one are not used");
  f("title", r.title, "of the brief");
  f("material", r.material, "of what is designed");
  f.maybe("other_materials", r.otherMaterials, "by part or region");
  f("masses_kg", r.masses, "of the job");
  f("voxels", r.voxels, "number of them");
  f("voxel_mm", r.voxel, "their edge", kInMm);
  f.maybe("thickness_mm", r.thickness, "of a sheet", kInMm);
  f("warnings", r.warnings, "of the set-up");
  f.maybe("choice", r.choice, "of the ways of making, where the brief gives several");
  f.maybe("bounds", r.bounds, "of all limits, where some are relative to another body");
  f.maybe("rounds", r.rounds, "of a lightest part: each designed, proved, and corrected by the proof");
  f.maybe("optimise", r.layout, "the layout");
  f.maybe("solid", r.solid, "read out of it");
  f.maybe("proof", r.proof, "of the solid");
  f.maybe("block", r.block, "the full design space, analysed in the same way");
  f.maybe("baseline", r.baseline, "the design there was before");
  f.maybe("outside", r.outside, "the solid given with --solid");
  f.maybe("proof_failure", r.proofFailure, "where the solid could not be proved");
  f.maybe(
      "left_out", r.leftOut,
      "only in what --json prints: steps in the folder that belong to another state of the brief or another "
      "grid");
}

}  // namespace barelattice
