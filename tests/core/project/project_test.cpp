#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sqlite3.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cmath>
#include <fstream>
#include <future>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/base/atomic_file.h"
#include "core/base/random.h"
#include "core/project/edits.h"
#include "core/project/project_store.h"
#include "core/project/result_codec.h"
#include "core/project/result_writer.h"
#include "tests/support/synthetic_shot.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::ElementsAre;
using ::testing::HasSubstr;

Document fullDocument() {
  Document d;
  d.footage_path = "/shots/ferry landing.mp4";
  d.tracking.features = 321;
  d.tracking.first_frame = 5, d.tracking.last_frame = 80;
  d.tracking.sizes = {true, false, true};
  d.footage = {23.976, 100, {ToneCurve::Log, 1.5, 1.2, Channel::Green, true}, 3, {7, 12}};
  d.masks.shapes = {{.id = 4,
                     .name = "rower",
                     .shape = MaskShape::Curve,
                     .only_inside = true,
                     .grow_px = -3,
                     .ranges = {{6, 40}, {50, 70}},
                     .keys = {{.frame = 6, .position = Vec2(100, 80), .scale = 1.5, .rotation_rad = 0.2, .points = {Vec2(-5, 0), Vec2(5, 1), Vec2(0, 9)}}}}};
  d.masks.mattes = {"/mattes", 0.4, 2, true};
  d.masks.alpha = {true, 0.3, -2, true};
  d.extra_runs = {{{{10, 20}, {300, 25}, {160, 200}}, 12, 40, 3, 0.25}};
  HandTrack bollard{
      .id = kFirstHandId + 2, .name = "Bollard", .kind = HandKind::Dot, .pattern_px = 9, .search_px = 44, .color = {9, 80, 200}, .stop = StopReason::Lost};
  bollard.putKey(5, {100.25, 80.5});
  bollard.points.push_back({6, {101, 81.125}, false, 0.93});
  d.work = {"abc", {{TrackEditKind::Cut, 3, kFirstCutId, 9, 0}, {TrackEditKind::RemovePart, 8, 0, 2, 4}}, {bollard}, {{3, "Corner of the hut", "hut"}}};
  d.lens = {FocalKnowledge::Near,
            28.5,
            2,
            24.9,
            CameraMotion::Rail,
            LensChoice::Anamorphic,
            "{}",
            {{"k2", Release::Off}},
            {{"k1", {-0.1, 0.01}}, {"cx_px", {641.5, 0}}},
            2,
            12.5,
            true};
  d.seed = 9;
  d.picks.key = "abc", d.picks.frame_offset = 100;
  d.picks.set_aside = {3, 8};
  d.picks.pinned = {5};
  d.picks.weights = {{3, 0.25}, {7, 12}};
  d.picks.scene = {{1, 2, 7}, 7, KnownDirection{1, 2}, KnownLength{2, 7, 1.85}};
  d.picks.objects = {{1, ObjectShape::Cube, 7, 0.5}};
  d.picks.knowledge.sets = {{.name = "wall", .tracks = {1, 2, 3}, .facing = SetFacing::Upright, .sigma = 0.02},
                            {.name = "floor", .tracks = {4, 5, 6}, .facing = SetFacing::Level, .on = false},
                            {.name = "rail", .kind = SetKind::Line, .tracks = {1, 6}, .facing = SetFacing::Given, .axis = Vec3(0, 0.5, 2)}};
  d.picks.knowledge.relations = {{RelationKind::Angle, "wall", "floor", 88.5, 0.3, false}, {RelationKind::Same, "wall", "rail", 0, 0.01}};
  d.picks.knowledge.distances = {{1, 2, 1.25, 0.01}};
  d.picks.knowledge.survey = {{"S1", 3, Vec3(1, 2.5, -3), Vec3(0.01, 0.02, 0)}};
  d.picks.knowledge.camera = {{.fact = CameraFact::Rotation, .first = 2, .last = 2, .sigma = 0.5}};
  d.dense = {.quality = DenseQuality::Fine,
             .keyframes = {3, 9, 14},
             .spacing = 0.02,
             .clean = {.least_views = 5, .most_slant_deg = 60, .least_neighbours = 0.4},
             .triangles = 5000};
  d.dense.clean.region = RegionBox{Vec3(-1, 0, -2), Vec3(3, 4, 5)};
  d.dense.clean.cuts = {{.outline = {{0, 0}, {0.5, 0}, {0, 0.5}}, .along = Vec3::UnitX(), .near = -3, .far = 7, .keeps = true}};
  d.dense.clean.cuts[0].clip_from_scene(0, 3) = 0.25;
  d.dense.clean.cuts.push_back({.outline = {{0.1, 0.2}}, .brush = 0.05, .aspect = 1.6});
  d.delivery.folder = "/out";
  DeliveryChoices& delivery = d.delivery.choices;
  delivery.what = {"camera.usda", "plates", "splat-set", "review"};
  delivery.world = {
      .up = UpAxis::Z, .unit = "cm", .scale = 2, .start = 7, .fps = 25, .key_tolerance_px = 0.1, .all_points = true, .camera = "eye", .points = "dots"};
  delivery.plates = {.fit = PlateFit::Whole, .focal_px = 900, .filter = ResampleFilter::Lanczos, .format = PlateFormat::Exr};
  delivery.mesh_texture_px = 4096;
  delivery.splat = {.reduced = 2, .most_pictures = 50, .test_every = 4, .masks = false, .dense = true, .centred = true};
  delivery.review = {.objects = false, .grid = true, .points = true, .whiskers = false, .whisker = 30, .notes = false, .frames = {3, 9}, .height = 720};
  delivery.receipt = false;
  d.delivery.presets = {{"to the studio", delivery}, {"plain", {}}};
  return d;
}

TEST(Document, DeliveriesOfEarlierProjectsAreRead) {
  const std::string old =
      R"("delivery":{"folder":"/out","camera_glb":true,"points_ply":false,"camera_csv":true,"report_json":false,"review_mp4":true,"review_grid":true})";
  std::string text = documentToJson(Document());
  const std::size_t at = text.find("\"delivery\":"), open = text.find('{', at);
  int depth = 0;
  std::size_t end = open;
  do depth += text[end] == '{' ? 1 : text[end] == '}' ? -1 : 0;
  while (depth > 0 && ++end < text.size());
  text.replace(at, end + 1 - at, old);
  const auto read = documentFromJson(text);
  ASSERT_TRUE(read.ok()) << read.error().message;
  EXPECT_EQ(read->delivery.folder, "/out");
  EXPECT_EQ(read->delivery.choices.what, (std::vector<std::string>{"camera.glb", "camera.csv", "review"}));
  EXPECT_TRUE(read->delivery.choices.review.grid);
}

TEST(Document, SurvivesItsText) {
  const auto read = documentFromJson(documentToJson(fullDocument()));
  ASSERT_TRUE(read.ok());
  EXPECT_EQ(*read, fullDocument());
  // Every shape of test object comes back as what it was.
  Document shapes;
  for (const ObjectShape shape : {ObjectShape::Cone, ObjectShape::Cube, ObjectShape::Card, ObjectShape::Floor, ObjectShape::Figure})
    shapes.picks.objects.push_back({.id = static_cast<int>(shape) + 1, .shape = shape, .track = 3, .plane = {3, 4, 5}, .along = 0.5, .across = -2});
  EXPECT_EQ(documentFromJson(documentToJson(shapes))->picks, shapes.picks);
  EXPECT_EQ(*documentFromJson(documentToJson(Document())), Document());
  EXPECT_THAT(documentFromJson("{\"seed\":\"many\"}").error().message, HasSubstr("damaged"));
}

/// Every edit that the window can make, on a document where it changes something.
std::vector<std::unique_ptr<Edit>> allEdits(const Document& d) {
  std::vector<std::unique_ptr<Edit>> edits;
  edits.push_back(setAside(d, {11, 4, 5}));
  edits.push_back(bringBack(d, {8}));
  edits.push_back(pinTracks(d, {1, 2}, true));
  edits.push_back(pinTracks(d, {5}, false));
  edits.push_back(weighTracks(d, {9, 3, 4}, 2));
  edits.push_back(weighTracks(d, {7, 7}, 1));
  edits.push_back(useAsGround(d, {9, 4, 6, 4}));
  edits.push_back(useAsOrigin(d, 4));
  edits.push_back(useAsDirection(d, 4, 6));
  edits.push_back(useAsLength(d, 4, 6, 2.5));
  edits.push_back(changeScene("Forget", d, {}));
  edits.push_back(placeObjects(d, ObjectShape::Cone, {4, 6}, 0.2));
  edits.push_back(placeOnPlane(d, ObjectShape::Floor, {7, 4, 9}, 2));
  if (!d.picks.objects.empty()) {
    TestObject turned = d.picks.objects.front();
    turned.turn_deg += 15, turned.size *= 1.2;
    edits.push_back(changeObject(d, turned));
    edits.push_back(removeObject(d, d.picks.objects.back().id));
  }
  edits.push_back(removeObjects(d));
  edits.push_back(setMember("Seed", &Document::seed, 77));
  edits.push_back(setMember("Lens", &Document::lens, LensSettings{}));
  edits.push_back(setMember("Tracking", &Document::tracking, FollowOptions{}));
  edits.push_back(setMember("Delivery", &Document::delivery, DeliverySettings{}));
  edits.push_back(setMember("Dense", &Document::dense, DenseSettings{}));
  edits.push_back(changeMask("Draw mask", d, newMask(d, MaskShape::Ellipse)));
  edits.push_back(removeMask(d, 4));
  edits.push_back(leaveOutFrames(d, {33}));
  edits.push_back(changeFrameOffset(d, 1000));
  edits.push_back(useAllFrames(d));
  edits.push_back(addRun(d, {.first_frame = 2, .last_frame = 9}));
  edits.push_back(removeExtraRuns());
  edits.push_back(changeHandTrack("Place track", d, newHandTrack(d, {})));
  edits.push_back(removeTracks(d, {5}, "abc"));
  edits.push_back(removeFrames(d, {5}, 2, 6, "abc"));
  edits.push_back(cutTracks(d, {5}, 12, "abc"));
  edits.push_back(joinTracks(d, 5, 6, "abc"));
  edits.push_back(nameTrack(d, 3, "Post", "abc"));
  edits.push_back(groupTracks(d, {3, 5}, "pier", "abc"));
  return edits;
}

TEST(Edits, EachCanBeTakenBackAndMadeAgain) {
  const Document before = fullDocument();
  for (auto& edit : allEdits(before)) {
    Document d = before;
    edit->apply(d);
    const Document after = d;
    EXPECT_FALSE(after == before) << edit->name() << " changed nothing";
    EXPECT_FALSE(edit->name().empty());
    for (int round = 0; round < 3; ++round) {
      edit->revert(d);
      EXPECT_EQ(d, before) << edit->name();
      edit->apply(d);
      EXPECT_EQ(d, after) << edit->name();
    }
  }
}

TEST(Edits, DoWhatTheySay) {
  Document d = fullDocument();
  setAside(d, {11, 5})->apply(d);
  EXPECT_THAT(d.picks.set_aside, ElementsAre(3, 8, 11)) << "a pinned track stays";
  weighTracks(d, {4, 3, 3}, 8)->apply(d);
  EXPECT_THAT(d.picks.weights, ElementsAre(TrackWeight{3, 8}, TrackWeight{4, 8}, TrackWeight{7, 12}));
  weighTracks(d, {3, 7, 8}, 1)->apply(d);
  EXPECT_THAT(d.picks.weights, ElementsAre(TrackWeight{4, 8})) << "1 is what all others have";
  bringBack(d, {3, 99})->apply(d);
  EXPECT_THAT(d.picks.set_aside, ElementsAre(8, 11));
  useAsGround(d, {9, 4, 9})->apply(d);
  EXPECT_THAT(d.picks.scene.ground, ElementsAre(4, 9));
  placeObjects(d, ObjectShape::Cone, {4, 6}, 0.2)->apply(d);
  ASSERT_EQ(d.picks.objects.size(), 3u);
  EXPECT_EQ(d.picks.objects[2].id, 3);
  EXPECT_EQ(d.picks.objects[2].track, 6);
}

TEST(Edits, MasksAreAddedChangedAndTakenAway) {
  Document d = fullDocument();
  Mask mask = newMask(d, MaskShape::Box);
  EXPECT_EQ(mask.id, 5);
  mask.keys = {{.frame = 3, .points = {Vec2(4, 4)}}};
  changeMask("Draw mask", d, mask)->apply(d);
  ASSERT_EQ(d.masks.shapes.size(), 2u);
  mask.grow_px = 6;
  changeMask("Grow mask", d, mask)->apply(d);
  EXPECT_EQ(d.masks.shapes[1].grow_px, 6);
  removeMask(d, 4)->apply(d);
  ASSERT_EQ(d.masks.shapes.size(), 1u);
  EXPECT_EQ(d.masks.shapes[0].id, 5);
}

TEST(Edits, NewFrameNumbersTakeEverythingAlong) {
  const Document before = fullDocument();
  Document d = before;
  const auto edit = changeFrameOffset(before, 1100);
  edit->apply(d);
  EXPECT_EQ(d.footage.frame_offset, 1100);
  EXPECT_EQ(d.tracking.first_frame, 1005);
  EXPECT_THAT(d.footage.left_out, ElementsAre(1007, 1012));
  EXPECT_EQ(d.masks.shapes[0].keys[0].frame, 1006);
  EXPECT_EQ(d.masks.shapes[0].ranges.back(), (FrameRange{1050, 1070}));
  EXPECT_EQ(d.extra_runs[0].first_frame, 1012);
  EXPECT_EQ(d.work.by_hand[0].points[1].frame, 1006);
  edit->revert(d);
  EXPECT_EQ(d, before);
}

TEST(Edits, FramesAreLeftOutTogetherAndComeBack) {
  Document d = fullDocument();
  leaveOutFrames(d, {40, 12, 13})->apply(d);
  EXPECT_THAT(d.footage.left_out, ElementsAre(7, 12, 13, 40));
  useAllFrames(d)->apply(d);
  EXPECT_TRUE(d.footage.left_out.empty());
  EXPECT_EQ(d.footage.step, 3);
}

TEST(Edits, WorkOnTracksSpeaksOfTheTracksItWasMadeOn) {
  Document d = fullDocument();
  removeTracks(d, {4}, "abc")->apply(d);
  ASSERT_EQ(d.work.edits.size(), 3u);
  cutTracks(d, {9, 10}, 30, "abc")->apply(d);
  EXPECT_EQ(d.work.edits[3].other, kFirstCutId + 1) << "each part gets a number of its own";
  EXPECT_EQ(d.work.edits[4].other, kFirstCutId + 2);
  joinTracks(d, 9, 10, "other tracks")->apply(d);
  ASSERT_EQ(d.work.edits.size(), 1u) << "numbers of other tracks mean nothing any more";
  EXPECT_EQ(d.work.by_hand.size(), 1u) << "tracks by hand stay";
  EXPECT_TRUE(d.work.labels.empty());
}

TEST(Edits, TracksByHandAreMadeNamedCutAndRemoved) {
  Document d = fullDocument();
  HandTrack fresh = newHandTrack(d, {.kind = HandKind::Crossing, .pattern_px = 7, .search_px = 20});
  EXPECT_EQ(fresh.id, kFirstHandId + 3);
  EXPECT_EQ(fresh.name, "Hand 4");
  EXPECT_EQ(fresh.kind, HandKind::Crossing);
  for (int f = 1; f <= 10; ++f) fresh.points.push_back({f, {10.0 * f, 5}, f == 2, 1});
  changeHandTrack("Place track", d, fresh)->apply(d);
  nameTrack(d, fresh.id, "Mast", "abc")->apply(d);
  EXPECT_EQ(d.work.find(fresh.id)->name, "Mast");
  groupTracks(d, {3, fresh.id}, "boat", "abc")->apply(d);
  EXPECT_EQ(d.work.labelOf(fresh.id)->group, "boat");
  EXPECT_EQ(d.work.labelOf(3)->name, "Corner of the hut") << "a group leaves the name";
  cutTracks(d, {fresh.id}, 6, "abc")->apply(d);
  ASSERT_EQ(d.work.by_hand.size(), 3u);
  EXPECT_EQ(d.work.by_hand[1].points.size(), 5u);
  EXPECT_EQ(d.work.by_hand[2].points.front().frame, 6);
  EXPECT_TRUE(d.work.by_hand[2].points.front().keyed) << "a part without a key could not be followed on";
  removeFrames(d, {fresh.id}, 1, 5, "abc")->apply(d);
  EXPECT_FALSE(d.work.find(fresh.id)) << "nothing is left of it";
  removeTracks(d, {fresh.id + 1}, "abc")->apply(d);
  EXPECT_EQ(d.work.by_hand.size(), 1u);
}

TEST(UndoStack, RandomWalksComeBackExactly) {
  Random random(6);
  Document d = fullDocument();
  UndoStack stack;
  std::vector<Document> states = {d};
  for (int step = 0; step < 200; ++step) {
    const int choice = random.index(3);
    const std::size_t at = states.size() - 1;
    if (choice == 0) {
      auto edits = allEdits(d);
      if (stack.run(d, std::move(edits[random.index(static_cast<int>(edits.size()))]))) states.push_back(d);
    } else if (choice == 1 && stack.canUndo()) {
      stack.undo(d);
      EXPECT_EQ(d, states[at - 1]);
      stack.redo(d);
      EXPECT_EQ(d, states[at]);
      stack.undo(d);
      states.pop_back();
      EXPECT_EQ(d, states.back());
    }
  }
  while (stack.canUndo()) stack.undo(d);
  EXPECT_EQ(d, fullDocument());
}

TEST(UndoStack, AnEditThatChangesNothingLeavesNoTrace) {
  Document d;
  UndoStack stack;
  EXPECT_FALSE(stack.run(d, setMember("Seed", &Document::seed, d.seed)));
  EXPECT_FALSE(stack.canUndo());
  EXPECT_TRUE(stack.run(d, setMember("Seed", &Document::seed, 5)));
  EXPECT_EQ(stack.undoName(), "Seed");
  stack.undo(d);
  EXPECT_EQ(stack.redoName(), "Seed");
  stack.run(d, setMember("Other", &Document::seed, 6));
  EXPECT_FALSE(stack.canRedo()) << "a new change ends what could be redone";
}

TEST(ProjectStore, KeepsDocumentAndResults) {
  const TemporaryFolder folder;
  const fs::path path = folder / "shot.moth";
  {
    auto store = ProjectStore::create(path, fullDocument());
    ASSERT_TRUE(store.ok()) << store.error().message;
    ASSERT_TRUE((*store)->saveResult("tracks", "k1", "first").ok());
    ASSERT_TRUE((*store)->saveResult("tracks", "k1", "second").ok());
    Document changed = fullDocument();
    changed.seed = 123;
    ASSERT_TRUE((*store)->saveDocument(changed).ok());
  }
  auto store = ProjectStore::open(path);
  ASSERT_TRUE(store.ok()) << store.error().message;
  EXPECT_EQ((*store)->document()->seed, 123);
  EXPECT_EQ((*store)->result("tracks", "k1"), "second");
  EXPECT_FALSE((*store)->result("tracks", "k2").has_value());
  EXPECT_FALSE((*store)->result("solve", "k1").has_value());
}

TEST(ProjectStore, KeepsTheNewestResultsOfEachStep) {
  const TemporaryFolder folder;
  auto store = ProjectStore::create(folder / "a.moth", {});
  ASSERT_TRUE((*store)->saveResult("solve", "s", "solved").ok());
  for (int i = 0; i < 12; ++i) ASSERT_TRUE((*store)->saveResult("tracks", std::to_string(i), "t").ok());
  EXPECT_FALSE((*store)->result("tracks", "3").has_value());
  EXPECT_TRUE((*store)->result("tracks", "11").has_value());
  EXPECT_TRUE((*store)->result("tracks", "4").has_value());
  EXPECT_TRUE((*store)->result("solve", "s").has_value());
}

TEST(ResultWriter, WritesInOrderAndOnlyTheNewestOfWhatIsReplaced) {
  const TemporaryFolder folder;
  auto store = ProjectStore::create(folder / "a.moth", Document());
  ASSERT_TRUE(store.ok());
  ResultWriter writer(std::move(*store));
  std::promise<void> go;
  std::vector<int> written;
  const auto noting = [&written](int number) {
    return [&written, number](ProjectStore&) {
      written.push_back(number);
      return Status(Done{});
    };
  };
  writer.write([&go](ProjectStore&) {
    go.get_future().wait();
    return Status(Done{});
  });
  writer.writeNewest(noting(1));
  writer.write(noting(2));
  writer.writeNewest(noting(3));
  go.set_value();
  EXPECT_TRUE(writer.flush().ok());
  writer.writeNewest(noting(4));
  EXPECT_TRUE(writer.flush().ok());
  EXPECT_EQ(written, (std::vector<int>{3, 2, 4}));
}

TEST(ProjectStore, RefusesWhatIsNoProjectOfItsOwn) {
  const TemporaryFolder folder;
  EXPECT_THAT(ProjectStore::open(folder / "none.moth").error().message, HasSubstr("none.moth"));
  std::ofstream(folder / "text.moth") << "not a project at all, just words that go on for a while so that it is no empty file";
  EXPECT_THAT(ProjectStore::open(folder / "text.moth").error().message, HasSubstr("not a Dusky Moth project"));
  { auto newer = ProjectStore::create(folder / "newer.moth", {}); }
  sqlite3* raw = nullptr;
  sqlite3_open((folder / "newer.moth").c_str(), &raw);
  sqlite3_exec(raw, "PRAGMA user_version = 99", nullptr, nullptr, nullptr);
  sqlite3_close(raw);
  EXPECT_THAT((*ProjectStore::open(folder / "newer.moth"))->readOnlyBecause(), HasSubstr("newer Dusky Moth"));
  EXPECT_EQ(ProjectStore::create(folder / "no" / "place.moth", {}).error().kind, ErrorKind::CannotWrite);
  EXPECT_EQ(*readFile(folder / "text.moth"), "not a project at all, just words that go on for a while so that it is no empty file");
}

TEST(ProjectStore, ATruncatedFileIsRefusedInWords) {
  const TemporaryFolder folder;
  {
    auto store = ProjectStore::create(folder / "a.moth", fullDocument());
    ASSERT_TRUE((*store)->saveResult("tracks", "k", std::string(200000, 'x')).ok());
  }
  const std::string whole = *readFile(folder / "a.moth");
  ASSERT_GT(whole.size(), 10000u);
  std::ofstream(folder / "cut.moth", std::ios::binary) << whole.substr(0, 3000);
  const auto opened = ProjectStore::open(folder / "cut.moth");
  ASSERT_FALSE(opened.ok());
  EXPECT_EQ(opened.error().kind, ErrorKind::Unreadable);
}

/// A child saves without end; it is killed at some moment; the project must open with a whole state every time.
TEST(ProjectStore, KilledAtAnyMomentItOpensAgain) {
  const TemporaryFolder folder;
  const fs::path path = folder / "shot.moth";
  { ASSERT_TRUE(ProjectStore::create(path, {}).ok()); }
  for (int round = 0; round < 12; ++round) {
    const pid_t child = fork();
    ASSERT_GE(child, 0);
    if (child == 0) {
      auto store = ProjectStore::open(path);
      for (int i = 0; store.ok(); ++i) {
        Document d;
        d.seed = i;
        d.picks.pinned = std::vector<int>(2000, i);
        (void)(*store)->saveDocument(d);
        (void)(*store)->saveResult("tracks", std::to_string(i % 5), std::string(300000, static_cast<char>('a' + i % 26)));
      }
      _exit(1);
    }
    std::this_thread::sleep_for(std::chrono::milliseconds(15 + 9 * round));
    kill(child, SIGKILL);
    waitpid(child, nullptr, 0);
    auto store = ProjectStore::open(path);
    ASSERT_TRUE(store.ok()) << store.error().message;
    const auto document = (*store)->document();
    ASSERT_TRUE(document.ok());
    for (int id : document->picks.pinned) ASSERT_EQ(id, document->seed) << "half of one state and half of another";
    for (int i = 0; i < 5; ++i) {
      const auto bytes = (*store)->result("tracks", std::to_string(i));
      if (bytes) EXPECT_EQ(bytes->find_first_not_of((*bytes)[0]), std::string::npos);
    }
  }
}

TEST(LensEdits, AValueIsTakenIntoTheFieldThatSpeaksOfIt) {
  Document d;
  UndoStack stack;
  FootageInfo footage;
  footage.width = 1200;
  d.lens.sensor_mm = 24, d.lens.free_readout = true;
  const Document before = d;
  ASSERT_TRUE(stack.run(d, takeValues(d, footage, {{"focal_px", 1000}})));
  EXPECT_EQ(d.lens.focal, FocalKnowledge::Locked);
  EXPECT_DOUBLE_EQ(d.lens.focal_mm, 20);
  ASSERT_TRUE(stack.run(d, takeValues(d, footage, {{"readout_ms", 12.5}, {"k1", -0.1}})));
  EXPECT_EQ(d.lens.readout_ms, 12.5);
  EXPECT_FALSE(d.lens.free_readout);
  EXPECT_EQ(d.lens.values.at("k1"), (KnownValue{-0.1, 0}));
  ASSERT_TRUE(stack.run(d, knowValue(d, "k2", KnownValue{0.2, 0.01})));
  ASSERT_TRUE(stack.run(d, knowValue(d, "k1", std::nullopt)));
  EXPECT_EQ(d.lens.values.size(), 1u);
  EXPECT_EQ(*documentFromJson(documentToJson(d)), d);
  for (int i = 0; i < 4; ++i) stack.undo(d);
  EXPECT_EQ(d, before);
}
}  // namespace dusky::testing
