// Makes the STEP files of the examples, as a CAD system would leave them: the package space of the sculling
// rigger, a conventional heliostat hub and a conventional sley arm. All values are made up; millimetres.
// Usage: make_parts FOLDER [perforated | variants | faulty]
// With the second word it makes something else: a plate of 500 faces to measure with, or for the tests one
// body under every application protocol and in several units, an assembly, and a file without a solid; or ten
// bodies, each of which one way of making cannot make.

#include <APIHeaderSection_MakeHeader.hxx>
#include <BRepAdaptor_Curve.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepPrimAPI_MakeTorus.hxx>
#include <BRep_Builder.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <STEPCAFControl_Writer.hxx>
#include <TCollection_HAsciiString.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <string>
#include <utility>
#include <vector>

namespace {

using Parts = std::vector<std::pair<std::string, TopoDS_Shape>>;

gp_Ax2 axis(const gp_Pnt& at, const gp_Dir& along) {
  return {at, along};
}

TopoDS_Shape bar(const gp_Pnt& from, const gp_Dir& along, double radius, double length) {
  return BRepPrimAPI_MakeCylinder(axis(from, along), radius, length);
}

TopoDS_Shape block(const gp_Pnt& low, const gp_Pnt& high) {
  return BRepPrimAPI_MakeBox(low, high);
}

TopoDS_Shape prism(const std::vector<gp_Pnt>& corners, const gp_Vec& along) {
  BRepBuilderAPI_MakePolygon outline;
  for (const gp_Pnt& corner : corners) outline.Add(corner);
  outline.Close();
  return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(outline.Wire()).Face(), along);
}

TopoDS_Shape cut(const TopoDS_Shape& body, const TopoDS_Shape& tool) {
  return BRepAlgoAPI_Cut(body, tool).Shape();
}
TopoDS_Shape fuse(const TopoDS_Shape& a, const TopoDS_Shape& b) {
  return BRepAlgoAPI_Fuse(a, b).Shape();
}

/// What the rigger may occupy, drilled for its bolts and its pin, and the disc the oar sweeps.
Parts rigger() {
  TopoDS_Shape space =
      prism({{0, -60, 0}, {55, -60, 0}, {300, -60, 64}, {300, -60, 120}, {0, -60, 140}}, {0, 120, 0});
  for (const auto& [y, z] : {std::pair{0.0, 20.0}, {42.0, 118.0}, {-42.0, 118.0}}) {
    space = cut(space, bar({-1, y, z}, {1, 0, 0}, 5, 12));
    space = cut(space, bar({10, y, z}, {1, 0, 0}, 11, 60));  // the bolt's head and a wrench
  }
  space = cut(space, bar({270, 0, 40}, {0, 0, 1}, 8, 100));
  return {{"package space", space}, {"oar sweep", bar({270, 0, 106}, {0, 0, 1}, 140, 44)}};
}

/// A turned hub with pockets, a bolt circle and a rounded rim: what stands on the mast today.
Parts hub() {
  TopoDS_Shape body = bar({0, 0, 0}, {0, 0, 1}, 90, 28);
  body = fuse(body, bar({0, 0, 0}, {0, 0, 1}, 34, 52));
  body = cut(body, bar({0, 0, -1}, {0, 0, 1}, 20, 54));
  body = cut(body, BRepPrimAPI_MakeCone(axis({0, 0, 48}, {0, 0, 1}), 20, 24, 4).Shape());
  for (int i = 0; i < 6; ++i) {
    const double at = (i + 0.5) * M_PI / 3;
    const double bolt = i * M_PI / 3;
    body = cut(body, bar({60 * std::cos(at), 60 * std::sin(at), 8}, {0, 0, 1}, 18, 30));  // blind pockets
    body = cut(body, bar({76 * std::cos(bolt), 76 * std::sin(bolt), -1}, {0, 0, 1}, 4.5, 30));
  }
  body = cut(body, BRepPrimAPI_MakeTorus(axis({0, 0, 28}, {0, 0, 1}), 40, 4).Shape());
  return {{"hub", body}};
}

/// An arm cast with a pocket on either side, and the shaft that carries it.
Parts arm() {
  TopoDS_Shape body = prism({{16, 0, 12}, {120, 0, 20}, {120, 0, 40}, {16, 0, 48}}, {0, 20, 0});
  body = fuse(body, bar({16, 0, 30}, {0, 1, 0}, 18, 20));
  body = cut(body, bar({16, -1, 30}, {0, 1, 0}, 8, 22));
  for (const double side : {-1.0, 13.0}) body = cut(body, block({44, side, 25}, {104, side + 8, 35}));
  return {{"arm", body}, {"shaft", bar({16, -15, 30}, {0, 1, 0}, 8, 50)}};
}

/// Rounds the edges of a prism that run along y.
TopoDS_Shape roundedAlongY(const TopoDS_Shape& prism, double radius) {
  BRepFilletAPI_MakeFillet fillet(prism);
  for (TopExp_Explorer edge(prism, TopAbs_EDGE); edge.More(); edge.Next()) {
    const BRepAdaptor_Curve curve(TopoDS::Edge(edge.Current()));
    if (curve.Line().Direction().IsParallel({0, 1, 0}, 1e-6))
      fillet.Add(radius, TopoDS::Edge(edge.Current()));
  }
  return fillet.Shape();
}

/// The arm as a designer drew it anew after a layout: two straps and a post between the bore and the beat.
Parts rebuiltArm() {
  TopoDS_Shape body = prism({{16, 0, 12}, {120, 0, 20}, {120, 0, 40}, {16, 0, 48}}, {0, 20, 0});
  body = fuse(body, bar({16, 0, 30}, {0, 1, 0}, 18, 20));
  body = cut(body, bar({16, -1, 30}, {0, 1, 0}, 8, 22));
  const auto strap = [](double x) { return 12 + 8 * (x - 16) / 104 + 7; };  // height of its upper side
  for (const auto& [from, to] : {std::pair{40.0, 72.0}, {79.0, 111.0}})
    body = cut(body, roundedAlongY(prism({{from, -1, strap(from)},
                                          {to, -1, strap(to)},
                                          {to, -1, 60 - strap(to)},
                                          {from, -1, 60 - strap(from)}},
                                         {0, 22, 0}),
                                   3));
  return {{"arm", body}};
}

/// A plate with 12 x 20 holes, 120 of them countersunk and 67 counterbored: 6 + 240 + 120 + 2 x 67 = 500
/// faces.
Parts perforated() {
  BRep_Builder builder;
  TopoDS_Compound holes, sinks;
  builder.MakeCompound(holes);
  builder.MakeCompound(sinks);
  int counterbores = 67;
  for (int i = 0; i < 12; ++i)
    for (int j = 0; j < 20; ++j) {
      const gp_Pnt at(10.0 + 12 * i, 10.0 + 12 * j, -1);
      builder.Add(holes, bar(at, {0, 0, 1}, 3, 12));
      if ((i + j) % 2 == 0)
        builder.Add(sinks,
                    BRepPrimAPI_MakeCone(axis({at.X(), at.Y(), 8}, {0, 0, 1}), 3, 5.002, 2.002).Shape());
      else if (counterbores-- > 0)
        builder.Add(sinks, bar({at.X(), at.Y(), 7}, {0, 0, 1}, 4.5, 4));
    }
  // One after the other: the parts of a tool must not cross each other.
  return {{"perforated plate", cut(cut(block({0, 0, 0}, {152, 248, 10}), holes), sinks)}};
}

/// Blocks of 40 x 30 x 20 with a fault each, by its name.
Parts faulty() {
  const TopoDS_Shape body = block({0, 0, 0}, {40, 30, 20});
  const TopoDS_Shape hollow = cut(body, BRepPrimAPI_MakeSphere(gp_Pnt(20, 15, 10), 7).Shape());
  return {{"undercut", cut(body, bar({20, -1, 10}, {0, 1, 0}, 4, 32))},
          {"upright", body},
          {"hanging", fuse(body, block({40, 0, 12}, {60, 30, 20}))},
          {"thin", cut(cut(body, block({5, -1, 5}, {18, 31, 21})), block({20, -1, 5}, {35, 31, 21}))},
          {"narrow", cut(body, block({18, -1, 5}, {19.5, 31, 21}))},
          {"lopsided", fuse(body, block({30, 10, 20}, {36, 20, 26}))},
          {"stepped", fuse(body, block({0, 0, 20}, {20, 30, 25}))},
          {"square_pocket", cut(body, block({10, 8, 8}, {30, 22, 21}))},
          {"closed", hollow},
          {"bottle", cut(hollow, bar({20, 15, 10}, {0, 0, 1}, 1.5, 11))}};
}

using Document = Handle(TDocStd_Document);

Document newDocument() {
  return new TDocStd_Document("BinXCAF");
}

Document documentOf(const Parts& parts) {
  Document document = newDocument();
  const Handle(XCAFDoc_ShapeTool) tool = XCAFDoc_DocumentTool::ShapeTool(document->Main());
  for (const auto& [name, shape] : parts) {
    TopExp_Explorer solid(shape, TopAbs_SOLID);
    TDataStd_Name::Set(tool->AddShape(solid.Current(), false), name.c_str());
  }
  return document;
}

/// A pin of radius 2 and length 10 standing in three places, turned about x in the third; the first two are
/// an assembly of their own.
Document assembly() {
  Document document = newDocument();
  const Handle(XCAFDoc_ShapeTool) tool = XCAFDoc_DocumentTool::ShapeTool(document->Main());
  const auto moved = [](const gp_Vec& by) {
    gp_Trsf place;
    place.SetTranslation(by);
    return TopLoc_Location(place);
  };
  const TDF_Label pin = tool->AddShape(bar({0, 0, 0}, {0, 0, 1}, 2, 10), false);
  TDataStd_Name::Set(pin, "pin");
  const TDF_Label pair = tool->NewShape();
  TDataStd_Name::Set(pair, "pair");
  tool->AddComponent(pair, pin, moved({0, 0, 0}));
  tool->AddComponent(pair, pin, moved({20, 0, 0}));
  const TDF_Label whole = tool->NewShape();
  TDataStd_Name::Set(whole, "whole");
  tool->AddComponent(whole, pair, moved({0, 50, 0}));
  gp_Trsf turn;
  turn.SetRotation(gp_Ax1({0, 0, 0}, {1, 0, 0}), M_PI / 2);
  tool->AddComponent(whole, pin, TopLoc_Location(turn));
  tool->UpdateAssemblies();
  return document;
}

/// The side of a pin and nothing else, which encloses nothing.
Document loose() {
  Document document = newDocument();
  TopExp_Explorer face(bar({0, 0, 0}, {0, 0, 1}, 2, 10), TopAbs_FACE);
  XCAFDoc_DocumentTool::ShapeTool(document->Main())->AddShape(face.Current(), false);
  return document;
}

bool write(const Document& document, const std::string& file, const char* schema = "AP214IS",
           const char* unit = "MM") {
  STEPCAFControl_Writer writer;  // the first one makes the settings known
  Interface_Static::SetCVal("write.step.schema", schema);
  Interface_Static::SetCVal("write.step.unit", unit);
  writer.ChangeWriter().Model(true);  // the schema counts from the model on
  writer.Transfer(document, STEPControl_AsIs);
  APIHeaderSection_MakeHeader header(writer.ChangeWriter().Model());
  const auto text = [](const char* words) { return new TCollection_HAsciiString(words); };
  header.SetDescriptionValue(1, text("made-up sample part of Bare Lattice"));
  header.SetName(text(std::filesystem::path(file).filename().c_str()));
  header.SetTimeStamp(text("2026-11-30T00:00:00"));  // the same file whenever it is made
  header.SetAuthorValue(1, text("the Bare Lattice developers"));
  header.SetOrganizationValue(1, text("Bare Lattice"));
  header.SetPreprocessorVersion(text("make_parts"));
  header.SetOriginatingSystem(text("Bare Lattice examples"));
  header.SetAuthorisation(text(""));
  return writer.Write(file.c_str()) == IFSelect_RetDone;
}

bool writeVariants(const std::string& folder) {
  return write(documentOf(hub()), folder + "/ap203_inch.step", "AP203", "INCH") &&
         write(documentOf(hub()), folder + "/ap214_millimetre.step", "AP214IS", "MM") &&
         write(documentOf(hub()), folder + "/ap242_metre.step", "AP242DIS", "M") &&
         write(assembly(), folder + "/assembly.step") && write(loose(), folder + "/loose.step");
}

bool writeFaulty(const std::string& folder) {
  bool done = true;
  for (const auto& part : faulty())
    done = write(documentOf({part}), folder + "/" + part.first + ".step") && done;
  return done;
}

}  // namespace

int main(int argc, char** argv) {
  const std::string what = argc == 3 ? argv[2] : "";
  if (argc < 2 || argc > 3 || (argc == 3 && what != "perforated" && what != "variants" && what != "faulty")) {
    std::fputs("usage: make_parts FOLDER [perforated | variants | faulty]\n", stderr);
    return 2;
  }
  Message::DefaultMessenger()->ChangePrinters().Clear();
  const std::string folder = argv[1];
  if (what == "perforated") return write(documentOf(perforated()), folder + "/perforated.step") ? 0 : 1;
  if (what == "variants") return writeVariants(folder) ? 0 : 1;
  if (what == "faulty") return writeFaulty(folder) ? 0 : 1;
  const bool done = write(documentOf(rigger()), folder + "/rigger.step") &&
                    write(documentOf(hub()), folder + "/hub.step") &&
                    write(documentOf(arm()), folder + "/arm.step") &&
                    write(documentOf(rebuiltArm()), folder + "/arm_rebuilt.step");
  return done ? 0 : 1;
}
