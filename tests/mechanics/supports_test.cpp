// Supports and connections against their closed forms, on voxels and on tetrahedra alike.

#include <gtest/gtest.h>

#include <Eigen/LU>
#include <cmath>
#include <numbers>

#include "support/loaded_body.hpp"

namespace barelattice {
namespace {

constexpr double kPi = std::numbers::pi;

const Material kPlain{"plain", 70e9, 0, 2700, 240e6, 2e-5};
const Material kSteel{"steel", 205e9, 0.29, 7850, 350e6, 12e-6};

/// A plate with a bore along z in the middle.
LoadedBody bored(const Vec3& size, double radius, double voxel, double spacing) {
  const Vec3 middle = 0.5 * size;
  LoadedBody body{
      makeDifference(makeBox({0, 0, 0}, size),
                     {makeCylinder({middle.x(), middle.y(), -1}, {middle.x(), middle.y(), 1}, radius)}),
      voxel, spacing};
  body.setup.materials = {kSteel};
  body.setup.faces = {roundOf("bore", body.shape, Patch::Kind::cylinder, true, 0.25 * voxel),
                      planeOf("right", body.shape, Vec3::UnitX(), 0.25 * voxel)};
  return body;
}

std::vector<std::string> leftFree(const LoadedBody& body) {
  const Domain<3> domain = OnVoxels::sampled(body);
  std::vector<FaceTies> ties;
  for (const NamedFace& face : body.setup.faces) ties.push_back(tieToGrid(domain.grid, face.face));
  return grounded(body.setup, body.setup.cases[0], ties)
      .motionsLeft([&](std::size_t n) { return domain.grid.nodePosition(n); }, [](std::size_t) { return 0; },
                   1, false);
}

// A pin leaves exactly one motion free, a sliding bore two, a plane three, whatever voxels make of them.
TEST(Supports, leaveFreeWhatTheySay) {
  for (const double voxel : {0.001, 0.0013, 0.0021}) {
    LoadedBody body = bored({0.04, 0.03, 0.01}, 0.006, voxel, 0.002);
    const Load push{"push", 1, FaceAction{{0, 100, 0}}};
    actAlone(body, {{"pin", 0, Pin{}}}, push);
    const auto pinned = leftFree(body);
    ASSERT_EQ(pinned.size(), 1U);
    EXPECT_EQ(pinned[0].substr(0, 45), "turning about an axis along z through (20, 15");
    actAlone(body, {{"slide", 0, Slide{}}}, push);
    EXPECT_EQ(leftFree(body).size(), 2U) << voxel;
    actAlone(body, {{"plane", 1, Slide{}}}, push);
    EXPECT_EQ(leftFree(body).size(), 3U);
    actAlone(body, {{"bed", 1, Foundation{1e9, 0}}}, push);
    EXPECT_EQ(leftFree(body).size(), 3U);
    actAlone(body, {{"bed", 1, Foundation{1e12, 1e7}}}, push);
    EXPECT_EQ(leftFree(body).size(), 0U) << "soft across, but held";
    actAlone(body, {{"point", 1, MeanSprings{{kRigid, kRigid, kRigid}, {kRigid, kRigid, 0}}}}, push);
    EXPECT_EQ(leftFree(body).size(), 1U);
  }
}

// A lever on a pin and a spring: statics alone gives the spring's force and, about the pin, nothing of a
// moment; a clamped bore carries the whole moment and lets the spring carry next to nothing.
TEST(Supports, aPinTurnsAndAClampDoesNot) {
  LoadedBody body = bored({0.08, 0.02, 0.01}, 0.005, 0.00125, 0.002);
  body.setup.faces.insert(body.setup.faces.begin() + 1, planeOf("left", body.shape, -Vec3::UnitX(), 3e-4));
  const auto found = [&](const SupportKind& kind, const auto& analysis) {
    actAlone(body, {{"bore", 0, kind}, {"spring", 1, MeanSprings{{0, 1e6, 0}, Vec3::Zero()}}},
             {"push", 2, FaceAction{{0, 500, 0}}});
    return analysis(body);
  };
  const auto tets = [](const LoadedBody& b) { return onTets(b); };
  const auto voxels = [](const LoadedBody& b) { return onVoxels(b); };
  const Motions pinned = found(Pin{}, tets);
  // About the axis at x = 40: the push of 500 N at 80 against the spring at 0.
  EXPECT_NEAR(pinned.cases[0].reactions[1].force.y(), 500, 1);
  EXPECT_NEAR(pinned.cases[0].reactions[0].force.y(), -1000, 2);
  EXPECT_NEAR(pinned.cases[0].reactions[0].pieces[0].own.moment.z(), 0, 0.02);
  ASSERT_TRUE(pinned.cases[0].reactions[0].pieces[0].axis);
  EXPECT_NEAR(pinned.cases[0].reactions[0].pieces[0].axial(), 0, 2);
  EXPECT_NEAR(pinned.cases[0].reactions[0].pieces[0].shear(), 1000, 2);
  const Motions clamped = found(Held{}, tets);
  EXPECT_GT(pinned.compliances[0] / clamped.compliances[0], 5);
  EXPECT_LT(clamped.cases[0].reactions[1].force.norm(), 50);
  EXPECT_NEAR(found(Pin{}, voxels).compliances[0] / pinned.compliances[0], 1, 0.02);
  EXPECT_NEAR(found(Held{}, voxels).compliances[0] / clamped.compliances[0], 1, 0.08);
}

// A beam on two points at its ends' middles, one of which slides: w = F L^3 / 48 E I + shear, in the middle.
TEST(Supports, heldPointsMakeASimplySupportedBeam) {
  const Vec3 size(0.16, 0.01, 0.01);
  const double force = 200;
  const double wanted = force * std::pow(size.x(), 3) / (48 * kPlain.modulus * 1e-8 / 12) +
                        1.2 * force * size.x() / (4 * 0.5 * kPlain.modulus * 1e-4);
  LoadedBody bar = barOf(size, kPlain, 0.00125, 0.0025);
  bar.setup.faces.push_back(planeOf("top", bar.shape, Vec3::UnitZ(), 3e-4));
  MeanSprings left{
      Vec3::Constant(kRigid), {kRigid, 0, 0}, Eigen::Matrix3d::Identity(), Vec3(0, 0.005, 0.005)};
  MeanSprings right{
      {0, kRigid, kRigid}, Vec3::Zero(), Eigen::Matrix3d::Identity(), Vec3(size.x(), 0.005, 0.005)};
  const Vec3 middle(0.08, 0.005, 0.01);
  actAlone(bar, {{"left", 0, left}, {"right", 1, right}},
           {"push", 2,
            Remote{middle, {0, 0, -force}, Vec3::Zero(), Spot{{0.08, 0, 0.01}, {0.08, 0.01, 0.01}, 0.004}}});
  const Motions tets = onTets(bar);
  const Motions voxels = onVoxels(bar);
  EXPECT_NEAR(tets.compliances[0] / (force * wanted), 1, 0.02);
  EXPECT_NEAR(voxels.compliances[0] / (force * wanted), 1, 0.03);
  EXPECT_NEAR(tets.cases[0].reactions[0].force.z(), 0.5 * force, 0.2);
  // A point off the face, as rigid as it may be: its reaction is in balance with the load, and has its
  // moment.
  MeanSprings point{Vec3::Constant(kRigid), Vec3::Constant(kRigid), Eigen::Matrix3d::Identity(),
                    Vec3(-0.05, 0.005, 0.005)};
  actAlone(bar, {{"point", 0, point}}, {"push", 1, FaceAction{{30, 20, -force}}});
  const CaseProof off = onTets(bar).cases[0];
  EXPECT_LT(off.unbalanced().norm(), 1e-3 * force);
  EXPECT_NEAR(off.reactions[0].ownMoment().y() / (-force * size.x()), 1, 1e-3);
  EXPECT_NEAR(tets.cases[0].reactions[1].force.z(), 0.5 * force, 0.2);
}

// A long beam on an elastic bed sinks by F b / 2 k under a force, b = (k / 4 E I)^(1/4) (Hetenyi 1946).
TEST(Supports, aBeamOnABedSinksAsHetenyiHasIt) {
  const Vec3 size(0.4, 0.01, 0.01);
  const double perArea = 5e9;
  const double k = perArea * size.y();
  const double b = std::pow(k / (4 * kPlain.modulus * 1e-8 / 12), 0.25);
  ASSERT_GT(b * size.x() / 2, 4);
  const double force = 1000;
  const double sinks = force * b / (2 * k);
  LoadedBody bar = barOf(size, kPlain, 0.00125, 0.0025);
  bar.setup.faces = {planeOf("below", bar.shape, -Vec3::UnitZ(), 3e-4),
                     planeOf("above", bar.shape, Vec3::UnitZ(), 3e-4)};
  actAlone(bar, {{"bed", 0, Foundation{perArea, 1e6}}},
           {"push", 1,
            Remote{Vec3(0.2, 0.005, 0.01),
                   {0, 0, -force},
                   Vec3::Zero(),
                   Spot{{0.2, 0, 0.01}, {0.2, 0.01, 0.01}, 0.004}}});
  for (const Motions& found : {onTets(bar), onVoxels(bar)})
    EXPECT_NEAR(found.compliances[0] / (force * sinks), 1, 0.06)
        << "shear and the dent under the force come on top";
}

// Held in directions askew, or turned as a whole: the same body in another frame.
TEST(Supports, aFrameIsAFrame) {
  Eigen::Isometry3d turn = Eigen::Isometry3d::Identity();
  turn.rotate(Eigen::AngleAxisd(0.6, Vec3(1, -2, 1).normalized()));
  const auto bar = [&](bool turned) {
    const Eigen::Matrix3d axes = turned ? Eigen::Matrix3d(turn.linear()) : Eigen::Matrix3d::Identity();
    const ShapePtr box = makeBox({0, 0, 0}, {0.05, 0.02, 0.01});
    LoadedBody body{turned ? makeTransformed(box, turn) : box, 0.001, 0.002};
    body.setup.materials = {kSteel};
    body.setup.faces = {planeOf("root", body.shape, -axes.col(0), 3e-4),
                        planeOf("end", body.shape, axes.col(0), 3e-4)};
    actAlone(body,
             {{"root", 0, Held{1, axes}}, {"springs", 0, MeanSprings{{0, 1e8, 2e8}, {1e3, 0, 0}, axes}}},
             {"push", 1, FaceAction{axes * Vec3(300, 100, 200)}});
    return body;
  };
  EXPECT_NEAR(onTets(bar(true)).compliances[0] / onTets(bar(false)).compliances[0], 1, 2e-3);
  EXPECT_NEAR(onVoxels(bar(true)).compliances[0] / onVoxels(bar(false)).compliances[0], 1, 0.05);
}

// A shaft turned at its end by an angle answers with T = G J phi / L, and a bar that is stretched with
// E A d / L; minus twice the potential energy is minus the work of that.
TEST(Supports, aMovedFaceIsAnsweredByTheStiffness) {
  const Vec3 size(0.08, 0.01, 0.01);
  const double angle = 1e-3;
  Held moved;
  moved.moved = {{2e-5, 0, 0}, {angle, 0, 0}, {size.x(), 0.005, 0.005}};
  LoadedBody bar = barOf(size, kPlain, 0.00125, 0.002);
  actAlone(bar, {{"root", 0, Held{}}, {"end", 1, moved}}, {"none", 1, FaceAction{}});
  const double pull = kPlain.modulus * 1e-4 * 2e-5 / size.x();
  const Motions tets = onTets(bar);
  const auto& reaction = tets.cases[0].reactions[1];
  EXPECT_NEAR(reaction.force.x() / pull, 1, 1e-3);
  // Both ends are kept plane, so that it is stiffer than Saint-Venant's by an end effect of a few per cent.
  const double torque = 0.1406 * 0.5 * kPlain.modulus * 1e-8 * angle / size.x();
  EXPECT_NEAR(reaction.ownMoment().x() / torque, 1.03, 0.04);
  EXPECT_NEAR(tets.compliances[0] / -(reaction.force.x() * 2e-5 + reaction.ownMoment().x() * angle), 1, 1e-3);
  EXPECT_NEAR(onVoxels(bar).compliances[0] / tets.compliances[0], 1, 0.02);
  EXPECT_NEAR(tets.last[0].turn.x() / angle, 1, 1e-6);
  // What moves as a whole is free of stress.
  Held along = moved;
  bar.setup.supports[0].kind = along;
  EXPECT_LT(onTets(bar).cases[0].peakStress, 1e-3 * kPlain.modulus * 1e-5);
  // Two that contradict each other are refused.
  Held other = moved;
  other.moved.shift.x() *= 2;
  bar.setup.supports = {{"end", 1, moved}, {"same end", 1, other}};
  EXPECT_THROW(onTets(bar), InputError);
}

/// A round washer of a plate with a bore and its ring-shaped seat.
LoadedBody bolted(double voxel, double spacing, double preload) {
  const double high = 0.02;
  const ShapePtr bore = makeCylinder({0.02, 0.02, -1}, {0.02, 0.02, 1}, 0.005);
  const ShapePtr head = makeCylinder({0.02, 0.02, high - 0.002}, {0.02, 0.02, 1}, 0.009);
  LoadedBody body{makeDifference(makeBox({0, 0, 0}, {0.04, 0.04, high}), {bore, head}), voxel, spacing};
  body.setup.materials = {kSteel};
  FaceSelector seat;
  seat.direction = Vec3::UnitZ();
  seat.near = Vec3(0.02, 0.02, high - 0.002);
  const double step = 0.25 * voxel;
  FaceSelector hole;
  hole.kind = Patch::Kind::cylinder;
  hole.radius = 0.005;
  FaceSelector top = seat;
  top.near = Vec3(0, 0, high);
  body.setup.faces = {{"hole", selectFace(*body.shape, hole, step)},
                      {"seat", selectFace(*body.shape, seat, step)},
                      planeOf("below", body.shape, -Vec3::UnitZ(), step),
                      {"top", selectFace(*body.shape, top, step)}};
  const Bolt bolt{1, 0.008, 0.025, 205e9, 0.29, preload};
  body.setup.supports = {{"bolt", 0, bolt}, {"bed", 2, Foundation{1e11, 1e9}}};
  return body;
}

// Of what lifts a part off a soft bed a bolt takes its share of the stiffness, k / (k + K) with k = E A / L,
// as long as both are soft against the part; the preload is on top, and is what the bed is pressed by.
TEST(Supports, aBoltTakesItsShare) {
  const double lift = 5000;
  const double k = 205e9 * kPi / 4 * 0.008 * 0.008 / 0.025;
  const auto shares = [&](double preload, double force) {
    LoadedBody body = bolted(0.001, 0.002, preload);
    body.setup.loads = {{"lift", 3, FaceAction{{0, 0, force}}}};
    body.setup.cases = {{"lift", 1, {{0, 1}}, {0, 1}}};
    return onTets(body).cases[0].reactions;
  };
  const double bed = 1e11 * (0.04 * 0.04 - kPi * 0.005 * 0.005);
  const auto plain = shares(0, lift);
  EXPECT_NEAR(plain[0].force.z() / (-lift * k / (k + bed)), 1, 0.1) << "the part gives way a little, too";
  EXPECT_NEAR(plain[0].force.z() + plain[1].force.z(), -lift, 0.002 * lift);
  EXPECT_NEAR(std::abs(plain[0].pieces[0].axial()), std::abs(plain[0].force.z()), 1);
  const auto tightened = shares(20e3, 0);
  EXPECT_NEAR(tightened[0].force.z() + tightened[1].force.z(), 0, 20);
  EXPECT_NEAR(tightened[0].force.z() / (-20e3 * bed / (k + bed)), 1, 0.1);
  const auto both = shares(20e3, lift);
  EXPECT_NEAR(both[0].force.z(), plain[0].force.z() + tightened[0].force.z(), 20) << "linear";
}

// Sideways a bolt is a cantilever: a stiff plate that stands on nothing but three is as soft as they are, and
// much softer than with its bores fixed.
TEST(Supports, boltsBendUnderAPlate) {
  const double high = 0.01;
  std::vector<ShapePtr> bores;
  for (const double x : {0.01, 0.05})
    for (const double y : {0.01, 0.05}) bores.push_back(makeCylinder({x, y, -1}, {x, y, 1}, 0.003));
  LoadedBody body{makeDifference(makeBox({0, 0, 0}, {0.06, 0.06, high}), bores), 0.001, 0.002};
  Material stiff = kSteel;
  stiff.modulus = 205e12;
  body.setup.materials = {stiff};
  FaceSelector hole;
  hole.kind = Patch::Kind::cylinder;
  hole.count = 4;
  body.setup.faces = {{"holes", selectFace(*body.shape, hole, 3e-4)},
                      planeOf("top", body.shape, Vec3::UnitZ(), 3e-4),
                      planeOf("right", body.shape, Vec3::UnitX(), 3e-4)};
  // Heads all over the top: the seats of four bores are four rings, cut out of it.
  std::vector<ShapePtr> heads;
  for (const double x : {0.01, 0.05})
    for (const double y : {0.01, 0.05}) heads.push_back(makeCylinder({x, y, high - 0.001}, {x, y, 1}, 0.006));
  body.shape = makeDifference(body.shape, heads);
  FaceSelector seats;
  seats.direction = Vec3::UnitZ();
  seats.within = Box(Vec3(0, 0, high - 0.0015), Vec3(0.06, 0.06, high - 0.0005));
  seats.count = 4;
  body.setup.faces[0] = {"holes", selectFace(
                                      *body.shape,
                                      [&] {
                                        FaceSelector s = hole;
                                        s.radius = 0.003;
                                        return s;
                                      }(),
                                      3e-4)};
  body.setup.faces[1] = {"seats", selectFace(*body.shape, seats, 3e-4)};
  body.setup.faces[2] = planeOf("right", body.shape, Vec3::UnitX(), 3e-4);
  const Bolt bolt{1, 0.006, 0.03, 205e9, 0.29, 0};
  actAlone(body, {{"bolts", 0, bolt}},
           {"push", 2, Remote{Vec3(0.03, 0.03, 0.0255 - 0.03 + high - 0.001), {4000, 0, 0}}});
  // One bolt, kept upright by the others' heads as far as these tilt with a plate that cannot: what its shank
  // takes at z under a head that does not turn, d = F (S11 - S12^2 / S22)^-1 ... is F over S11 of the
  // inverse.
  const double area = kPi / 4 * 0.006 * 0.006;
  const double bending = 205e9 * area * 0.006 * 0.006 / 16;
  const double shear = 205e9 / 2.58 * area * 6 * 1.29 / (7 + 6 * 0.29);
  const double z = 0.03 - (high - 0.001) / 2;
  Eigen::Matrix2d flexibility;
  flexibility << z * z * z / (3 * bending) + z / shear, z * z / (2 * bending), z * z / (2 * bending),
      0.03 / bending;
  const double upright = 1000 / flexibility.inverse()(0, 0);
  const Motions tets = onTets(body);
  const Motions voxels = onVoxels(body);
  for (const Motions& found : {tets, voxels}) EXPECT_NEAR(found.last[0].shift.x() / upright, 1, 0.05);
  ASSERT_EQ(tets.cases[0].reactions[0].pieces.size(), 4U);
  for (const PieceReaction& piece : tets.cases[0].reactions[0].pieces)
    EXPECT_NEAR(piece.own.force.x(), -1000, 5);
  body.setup.supports[0].kind = Held{};
  EXPECT_LT(onTets(body).compliances[0], 0.1 * tets.compliances[0]);
  // A grip shorter than the bore is no bolt.
  body.setup.supports[0].kind = Bolt{1, 0.006, 0.003, 205e9, 0.29, 0};
  EXPECT_THROW(onTets(body), InputError);
}

// A stiff block on one bolt, kept from turning about it: a force across at a height p above the middle of the
// bore moves its point by the bolt's flexibility, F (f11 + 2 f12 p + f22 p^2), the same in every direction.
TEST(Supports, oneBoltIsACantileverInEveryDirection) {
  const double high = 0.012, seat = 0.01, grip = 0.03, p = 0.04;
  LoadedBody body{makeDifference(makeBox({0, 0, 0}, {0.02, 0.02, high}),
                                 {makeCylinder({0.01, 0.01, -1}, {0.01, 0.01, 1}, 0.003),
                                  makeCylinder({0.01, 0.01, seat}, {0.01, 0.01, 1}, 0.006)}),
                  0.001, 0.0015};
  Material stiff = kSteel;
  stiff.modulus *= 1000;
  body.setup.materials = {stiff};
  FaceSelector hole;
  hole.kind = Patch::Kind::cylinder;
  hole.radius = 0.003;
  FaceSelector ring;
  ring.direction = Vec3::UnitZ();
  ring.near = Vec3(0.01, 0.01, seat);
  body.setup.faces = {{"hole", selectFace(*body.shape, hole, 2.5e-4)},
                      {"seat", selectFace(*body.shape, ring, 2.5e-4)},
                      planeOf("right", body.shape, Vec3::UnitX(), 2.5e-4)};
  body.setup.supports = {{"bolt", 0, Bolt{1, 0.006, grip, 205e9, 0.29, 0}},
                         {"no turn", 2, MeanSprings{Vec3::Zero(), {0, 0, kRigid}}}};
  const double z = grip - seat / 2;
  const double area = kPi / 4 * 0.006 * 0.006;
  const double bending = 205e9 * area * 0.006 * 0.006 / 16;
  const double shear = 205e9 / 2.58 * area * 6 * 1.29 / (7 + 6 * 0.29);
  const double force = 100;
  const double wanted =
      force * force * (z * z * z / (3 * bending) + z / shear + z * z / bending * p + grip / bending * p * p);
  for (const double angle : {0.0, 1.0, kPi / 2, 2.5}) {
    body.setup.loads.push_back(
        {"push", 2,
         Remote{Vec3(0.01, 0.01, seat / 2 + p), force * Vec3(std::cos(angle), std::sin(angle), 0)}});
    body.setup.cases.push_back({"push", 1, {{body.setup.cases.size(), 1}}, {0, 1}});
  }
  for (const Motions& found : {onVoxels(body, 1e-7), onTets(body)})
    for (const double compliance : found.compliances) EXPECT_NEAR(compliance / wanted, 1, 0.01);
}

// Two bars that only a connection joins: in series with the springs between them and to the ground; and
// rigid.
TEST(Supports, connectionsJoinBodiesInSeries) {
  const double pull = 500;
  const double section = 1e-4;
  LoadedBody body{
      makeUnion({makeBox({0, 0, 0}, {0.03, 0.01, 0.01}), makeBox({0.04, 0, 0}, {0.07, 0.01, 0.01})}), 0.00125,
      0.002};
  body.setup.materials = {kPlain};
  const auto end = [&](const char* name, const Vec3& way, double x) {
    FaceSelector selector;
    selector.direction = way;
    selector.near = Vec3(x, 0.005, 0.005);
    return NamedFace{name, selectFace(*body.shape, selector, 3e-4)};
  };
  body.setup.faces = {end("root", -Vec3::UnitX(), 0), end("near", Vec3::UnitX(), 0.03),
                      end("far", -Vec3::UnitX(), 0.04), end("end", Vec3::UnitX(), 0.07)};
  for (const double stiffness : {1e5, 1e8, kRigid}) {
    body.setup.connections = {{"link", 1, 2, {}, Vec3::Constant(stiffness), Vec3::Constant(kRigid)}};
    actAlone(body, {{"root", 0, MeanSprings{Vec3::Constant(2e7), Vec3::Constant(1e6)}}},
             {"pull", 3, FaceAction{{pull, 0, 0}}});
    const double wanted = pull / 2e7 + pull / stiffness + pull * 0.06 / (kPlain.modulus * section);
    for (const Motions& found : {onVoxels(body, 1e-9), onTets(body)})
      EXPECT_NEAR(found.last[0].shift.x() / wanted, 1, 1e-4) << stiffness;
    // Across it, the link carries the moment too: one bar of both, for what is rigid.
    body.setup.loads[0].kind = FaceAction{{0, 0, -10}};
    const Motions bent = onTets(body);
    EXPECT_LT(std::abs(bent.cases[0].unbalanced().norm()), 1e-3 * 10);
  }
}

}  // namespace
}  // namespace barelattice
