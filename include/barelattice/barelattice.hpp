/// @file
/// Everything Bare Lattice offers.
/// @mainpage
/// One library that takes a design space, load cases and making constraints to a proven part. Lengths are
/// metres, forces newtons, stresses pascals throughout.
///
/// In the order of the job:
///
/// | | with a brief | on plain objects |
/// |---|---|---|
/// | state it | `readBrief`, `parseBrief` | `Regions` of shapes (`makeBox` ... `makeDifference`), faces
/// (`selectFace`), `Setup` | | see what is wrong with it | `prepare`, a `Job` | `validate` of each | | divide
/// it | | `sampleRegions`, `casesOn` | | find the layout | `designLayout` | `optimiseLayout` of a
/// `LayoutProblem` | | make a solid of it | `makeSolid` | `SmoothLayout`, `reinterpret` | | prove it |
/// `proveSolid` | `stuff`, `sharpenTets`, `prove`, `errorsOf`, `judge` | | all of it | `carryOut`; `JobRun`
/// in a folder | | | look at it | `writeCheckPage`, `writeReport` | `writeMesh`, `writeVti` |
///
/// Parts of one's own: `OwnSupport`, `OwnLoad`, `OwnMaking`, `Response`, held against differences by
/// `checkGradients`. What may be relied on (ownership, threads, callbacks, errors, units, versions) is in
/// docs/library.md.
#pragma once

#include "barelattice/base/file.hpp"
#include "barelattice/base/file_lock.hpp"
#include "barelattice/base/hash.hpp"
#include "barelattice/base/machine.hpp"
#include "barelattice/base/stopwatch.hpp"
#include "barelattice/brief/brief.hpp"
#include "barelattice/brief/shipped.hpp"
#include "barelattice/core.hpp"
#include "barelattice/formats/cad.hpp"
#include "barelattice/formats/density_samples.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/formats/outline_files.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/formats/vti.hpp"
#include "barelattice/prepare/inspect.hpp"
#include "barelattice/prepare/job.hpp"
#include "barelattice/report/page.hpp"
#include "barelattice/run/checkpoint.hpp"
#include "barelattice/run/records.hpp"
#include "barelattice/run/run.hpp"
#include "barelattice/steps/records.hpp"
#include "barelattice/steps/steps.hpp"
