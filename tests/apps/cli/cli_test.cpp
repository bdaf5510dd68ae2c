#include <fcntl.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <memory>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/base/atomic_file.h"
#include "core/media/write_picture.h"
#include "core/pipeline/workspace.h"
#include "core/project/edits.h"
#include "core/track/track_files.h"
#include "tests/apps/cli/cli_fixture.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::AllOf;
using ::testing::HasSubstr;

TEST_F(CliTest, SolvesAndComparesAShot) {
  const std::string folder = shot(ShotKind::Free), target = (out / "result").string(), copy = (out / "copy.json").string();
  const Ran solved = moth({"solve", folder, "-o", target, "--report", copy, "--progress", "json"});
  ASSERT_EQ(solved.code, 0) << solved.err;
  EXPECT_THAT(solved.out, AllOf(HasSubstr("frames   20 of 20"), HasSubstr("holdout"), HasSubstr("camera.glb")));
  EXPECT_THAT(solved.err, HasSubstr("{\"fraction\":1.0,\"what\":\"done\""));
  for (const char* name : {"camera.glb", "points.ply", "camera.csv", "report.json"}) EXPECT_GT(fs::file_size(fs::path(target) / name), 100u) << name;
  EXPECT_EQ(*readFile(copy), *readFile(fs::path(target) / "report.json"));

  const Ran compared = moth({"compare", copy, folder + "/truth.json", "--json"});
  ASSERT_EQ(compared.code, 0) << compared.err;
  const auto figures = nlohmann::json::parse(compared.out);
  EXPECT_EQ(figures["frames_solved"], 20);
  EXPECT_LT(figures["slip_rms_px"].get<double>(), 0.3);
  EXPECT_LT(figures["focal_error_percent"].get<double>(), 1.0);
}

TEST_F(CliTest, WindowAndCommandLineGiveTheSame) {
  const std::string folder = shot(ShotKind::Free), target = (out / "result").string();
  ASSERT_EQ(moth({"solve", folder, "-o", target, "--quiet"}).code, 0);
  Workspace by_hand;
  ASSERT_TRUE(by_hand.openFootage(folder).ok());
  const auto tracks = runTracks(by_hand.document(), {});
  const auto solved = runSolve(by_hand.document(), by_hand.footage(), **tracks, {});
  Workspace project;
  ASSERT_TRUE(project.openProject(fs::path(target) / (fs::path(folder).stem().string() + ".moth")).ok());
  ASSERT_TRUE(project.solution());
  EXPECT_EQ(project.solution()->rms_px, (*solved)->rms_px);
  EXPECT_EQ(project.solution()->frames[7].pose.centre, (*solved)->frames[7].pose.centre);
}

TEST_F(CliTest, SaysWhyAShotCannotBeSolved) {
  const Ran still = moth({"solve", shot(ShotKind::Still), "-o", (out / "still").string()});
  EXPECT_EQ(still.code, 4);
  EXPECT_THAT(still.err, HasSubstr("does not move"));
  EXPECT_TRUE(nothingIn(out / "still"));
}

TEST_F(CliTest, ATripodShotIsRecognisedAndSaysThatItHasNoDepth) {
  const fs::path target = out / "nodal";
  const Ran ran = moth({"solve", shot(ShotKind::Nodal), "-o", target.string()});
  ASSERT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("motion   nodal"), HasSubstr("nothing has a depth")));
  const auto report = nlohmann::json::parse(*readFile(target / "report.json"));
  EXPECT_EQ(report["motion"], "nodal");
  const Ran compared = moth({"compare", (target / "report.json").string(), (fs::path(shot(ShotKind::Nodal)) / "truth.json").string(), "--json"});
  ASSERT_EQ(compared.code, 0) << compared.err;
  const auto judged = nlohmann::json::parse(compared.out);
  EXPECT_LT(judged["rotation_max_deg"], 0.05);
  EXPECT_LT(judged["focal_error_percent"], 0.5);
  EXPECT_LT(judged["slip_rms_px"], 0.3);
}

TEST_F(CliTest, AZoomHasAFocalLengthForEveryFrame) {
  const fs::path target = out / "zoom";
  const std::string footage = shot(ShotKind::Zoom, 40);
  const Ran ran = moth({"solve", footage, "-o", target.string(), "--focal", "zoom"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("zoom, "));
  const auto report = nlohmann::json::parse(*readFile(target / "report.json"));
  EXPECT_NEAR(report["frames"][0]["focal_px"], 520, 5);
  EXPECT_NEAR(report["frames"][39]["focal_px"], 700, 7);
  EXPECT_EQ(report["cameras"]["A"]["lens_samples"].size(), 40u);
  const Ran compared = moth({"compare", (target / "report.json").string(), (fs::path(footage) / "truth.json").string(), "--json"});
  ASSERT_EQ(compared.code, 0) << compared.err;
  const auto judged = nlohmann::json::parse(compared.out);
  EXPECT_LT(judged["slip_rms_px"], 0.5);
  EXPECT_LT(judged["focal_error_percent"], 1.0);
}

TEST_F(CliTest, BadArgumentsAreRefusedWithASentence) {
  const std::string folder = shot(ShotKind::Free), target = (out / "x").string();
  const auto refused = [&](std::vector<std::string> extra) {
    std::vector<std::string> all = {"solve", folder, "-o", target};
    all.insert(all.end(), extra.begin(), extra.end());
    const Ran ran = moth(all);
    EXPECT_EQ(ran.code, 2);
    EXPECT_TRUE(nothingIn(target));
    return ran.err;
  };
  EXPECT_THAT(refused({"--frames", "abc"}), HasSubstr("10-80"));
  EXPECT_THAT(refused({"--frames", "90-120"}), HasSubstr("90–120"));
  EXPECT_THAT(refused({"--focal-mm", "35"}), HasSubstr("--sensor-mm"));
  EXPECT_THAT(refused({"--focal", "locked"}), HasSubstr("needs the focal length"));
  EXPECT_THAT(refused({"--motion", "crane"}), HasSubstr("--motion"));
  EXPECT_THAT(refused({"--release", "k9=on"}), HasSubstr("k2=off"));
  EXPECT_THAT(refused({"--lens-file", "/nowhere.json"}), HasSubstr("nowhere.json"));
  EXPECT_THAT(refused({"--lens", "glass"}), HasSubstr("--lens"));
  EXPECT_THAT(refused({"--max-tracks", "3"}), HasSubstr("20 to 20000"));
  EXPECT_THAT(refused({"--threads", "-2"}), HasSubstr("--threads"));
  EXPECT_THAT(refused({"--no-such-thing"}), HasSubstr("--no-such-thing"));
  EXPECT_EQ(moth({"solve"}).code, 2);
  EXPECT_EQ(moth({}).code, 2);
  EXPECT_EQ(moth({"dance"}).code, 2);
}

TEST_F(CliTest, UnreadableInputIsRefusedWithASentence) {
  std::ofstream(out / "list.mp4") << "rope, lamp oil, nails";
  for (const auto& [path, words] : {std::pair{std::string("/no/such/shot.mp4"), "/no/such/shot.mp4"}, {(out / "list.mp4").string(), "list.mp4"}}) {
    for (const std::vector<std::string>& call : {std::vector<std::string>{"info", path}, {"solve", path, "-o", (out / "y").string()}}) {
      const Ran ran = moth(call);
      EXPECT_EQ(ran.code, 2);
      EXPECT_THAT(ran.err, HasSubstr(words));
    }
  }
  EXPECT_TRUE(nothingIn(out / "y"));
  EXPECT_EQ(moth({"compare", "/no/report.json", "/no/truth.json"}).code, 2);
}

TEST_F(CliTest, AnOutputThatCannotBeWrittenIsNamed) {
  std::ofstream(out / "taken") << "a file";
  const Ran ran = moth({"solve", shot(ShotKind::Free), "-o", (out / "taken").string(), "--quiet"});
  EXPECT_EQ(ran.code, 2);
  EXPECT_THAT(ran.err, HasSubstr("taken"));
  EXPECT_EQ(*readFile(out / "taken"), "a file");
}

TEST_F(CliTest, HelpAndInfoTeach) {
  const Ran help = moth({"--help"});
  EXPECT_EQ(help.code, 0);
  EXPECT_THAT(help.out, AllOf(HasSubstr("moth solve FOOTAGE"), HasSubstr("moth compare"), HasSubstr("moth info")));
  EXPECT_THAT(moth({"solve", "--help"}).out, AllOf(HasSubstr("--focal-mm"), HasSubstr("Exit codes"), HasSubstr("--frames")));
  const Ran info = moth({"info", shot(ShotKind::Free)});
  EXPECT_EQ(info.code, 0);
  EXPECT_THAT(info.out, AllOf(HasSubstr("640×360"), HasSubstr("20 (1–20)")));
}

TEST_F(CliTest, TracksAreWrittenAsTheWindowWouldHaveThem) {
  const TemporaryFolder target;
  const std::string json = (target / "t.json").string(), csv = (target / "t.csv").string();
  const Ran ran = moth({"track", shot(ShotKind::Free), "-o", json, "--max-tracks", "120", "--sizes", "fine,coarse", "--frames", "1-12"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("tracks"), HasSubstr("median life"), HasSubstr("frames/s")));
  const auto written = tracksFromJson(*readFile(json));
  ASSERT_TRUE(written.ok()) << written.error().message;
  Document document;
  document.footage_path = shot(ShotKind::Free);
  document.tracking = {.first_frame = 1, .last_frame = 12, .features = 120, .sizes = {true, false, true}};
  const auto same = runTracks(document, {});
  ASSERT_TRUE(same.ok());
  ASSERT_EQ(written->tracks.size(), (*same)->tracks.size());
  EXPECT_NEAR((written->tracks[5].observations.back().position - (*same)->tracks[5].observations.back().position).norm(), 0, 1e-5);
  ASSERT_EQ(moth({"track", shot(ShotKind::Free), "-o", csv, "--max-tracks", "60", "--quiet", "--one-way", "--no-rejoin"}).code, 0);
  EXPECT_TRUE(tracksFromCsv(*readFile(csv)).ok());
  EXPECT_THAT(moth({"track", shot(ShotKind::Free), "-o", "t.txt"}).err, HasSubstr(".json or .csv"));
  EXPECT_THAT(moth({"track", shot(ShotKind::Free), "-o", json, "--sizes", "huge"}).err, HasSubstr("fine, medium and coarse"));
}

TEST_F(CliTest, EveryNthFrameAndFramesLeftOutGetNoCameraAndTheRestDo) {
  const TemporaryFolder target;
  const Ran ran = moth({"solve", shot(ShotKind::Free), "-o", target.path().string(), "--step", "2", "--leave-out", "5,9-11", "--quiet"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  const auto report = nlohmann::json::parse(*readFile(target / "report.json"));
  std::vector<int> frames;
  for (const auto& frame : report["frames"]) frames.push_back(frame["frame"]);
  EXPECT_EQ(frames, (std::vector<int>{1, 3, 7, 13, 15, 17, 19}));
  EXPECT_TRUE(report["missing_frames"].empty()) << "what was left out on purpose is not missing";
  EXPECT_THAT(moth({"solve", shot(ShotKind::Free), "-o", target.path().string(), "--step", "0"}).err, HasSubstr("--step"));
  EXPECT_THAT(moth({"solve", shot(ShotKind::Free), "-o", target.path().string(), "--leave-out", "4-x"}).err, HasSubstr("7, 12-15"));
}

/// Writes mattes for the frames of a made-up shot: white at the left of `to`.
void writeMattes(const fs::path& folder, int first, int last, int to, int width = 640) {
  fs::create_directories(folder);
  for (int n = first; n <= last; ++n) {
    Picture picture(width, 360);
    for (int y = 0; y < 360; ++y) std::fill_n(picture.row(y), std::min(to, width), Rgb{255, 255, 255});
    ASSERT_TRUE(writePicture(folder / ("matte." + std::to_string(n) + ".png"), picture).ok());
  }
}

TEST_F(CliTest, MattesLeaveOutWhatIsLight) {
  const TemporaryFolder target;
  writeMattes(target / "mattes", 1, 20, 300);
  const std::string mattes = (target / "mattes").string(), json = (target / "t.json").string();
  const auto placesLeftOf = [&](int x) {
    const auto tracks = tracksFromJson(*readFile(json));
    int count = 0;
    for (const Track& track : tracks->tracks) {
      for (const Observation& o : track.observations) count += o.position.x() < x;
    }
    return count;
  };
  ASSERT_EQ(moth({"track", shot(ShotKind::Free), "-o", json, "--masks", mattes, "--quiet"}).code, 0);
  EXPECT_EQ(placesLeftOf(298), 0);
  EXPECT_GT(placesLeftOf(640), 1000);
  ASSERT_EQ(moth({"track", shot(ShotKind::Free), "-o", json, "--masks", mattes, "--invert-masks", "--quiet"}).code, 0);
  EXPECT_EQ(placesLeftOf(302), placesLeftOf(640));

  const Ran preview = moth({"mask", shot(ShotKind::Free), "--masks", mattes, "--preview", (target / "seen").string(), "--frames", "4-6", "--quiet"});
  EXPECT_EQ(preview.code, 0) << preview.err;
  EXPECT_TRUE(fs::exists(target / "seen" / "mask.0005.png"));
  EXPECT_FALSE(fs::exists(target / "seen" / "mask.0007.png"));
}

TEST_F(CliTest, WrongMattesAreRefusedWithASentence) {
  const TemporaryFolder target;
  const auto refused = [&](const std::string& mattes) {
    const Ran ran = moth({"solve", shot(ShotKind::Free), "-o", (target / "out").string(), "--masks", mattes, "--quiet"});
    EXPECT_TRUE(nothingIn(target / "out"));
    EXPECT_NE(ran.code, 0);
    return ran.err;
  };
  writeMattes(target / "few", 1, 12, 300);
  EXPECT_THAT(refused((target / "few").string()), AllOf(HasSubstr("no matte for frame 13"), HasSubstr("8 of 20")));
  writeMattes(target / "small", 1, 20, 30, 320);
  EXPECT_THAT(refused((target / "small").string()), HasSubstr("320×360"));
  writeMattes(target / "all", 1, 20, 640);
  EXPECT_THAT(refused((target / "all").string()), HasSubstr("Nothing can be tracked"));
  EXPECT_THAT(refused((target / "nowhere").string()), HasSubstr("nowhere"));
  EXPECT_THAT(moth({"solve", shot(ShotKind::Free), "-o", (target / "out").string(), "--invert-masks"}).err, HasSubstr("--masks"));
}

TEST_F(CliTest, FramesAreChecked) {
  const Ran text = moth({"frames", shot(ShotKind::Free), "--check"});
  EXPECT_EQ(text.code, 0) << text.err;
  EXPECT_THAT(text.out, HasSubstr("0 of 20 frames marked"));
  const auto json = nlohmann::json::parse(moth({"frames", shot(ShotKind::Free), "--check", "--json", "--frames", "3-8"}).out);
  EXPECT_EQ(json["frames"].size(), 6u);
  EXPECT_GT(json["frames"][2]["sharpness"].get<double>(), 1);
  EXPECT_EQ(moth({"frames", shot(ShotKind::Free)}).code, 2);
}

TEST_F(CliTest, LockedFocalAndRangeAreTaken) {
  const std::string target = (out / "r").string();
  ASSERT_EQ(moth({"solve", shot(ShotKind::Free), "-o", target, "--frames", "3-18", "--focal-px", "560", "--focal", "locked", "--quiet"}).code, 0);
  const auto report = nlohmann::json::parse(*readFile(fs::path(target) / "report.json"));
  EXPECT_EQ(report["frames"].size(), 16u);
  EXPECT_EQ(report["frames"][0]["frame"], 3);
  EXPECT_NEAR(report["cameras"]["A"]["lens"]["parameters"]["focal_px"].get<double>(), 560, 1e-9);
}

/// The program itself, so that signals are real; its standard error can be read from `errors`.
pid_t start(const std::vector<std::string>& arguments, int errors = STDERR_FILENO) {
  std::vector<std::string> all = {DUSKY_MOTH};
  all.insert(all.end(), arguments.begin(), arguments.end());
  std::vector<char*> argv;
  for (std::string& a : all) argv.push_back(a.data());
  argv.push_back(nullptr);
  const pid_t child = fork();
  if (child == 0) {
    if (errors != STDERR_FILENO) dup2(errors, STDERR_FILENO);
    execv(argv[0], argv.data());
    _exit(99);
  }
  return child;
}

/// Reads lines of `--progress json` until this share is done; false where they end before.
bool readUntil(std::FILE* progress, double share) {
  std::array<char, 1024> line;
  while (std::fgets(line.data(), line.size(), progress)) {
    if (nlohmann::json::parse(line.data())["fraction"].get<double>() >= share) return true;
  }
  return false;
}

TEST_F(CliTest, InterruptedItEndsWith130AndLeavesNothingHalfWritten) {
  const std::string footage = shot(ShotKind::Free);
  for (const double share : {0.05, 0.4, 0.65}) {  // tracking and solving
    std::array<int, 2> ends;
    ASSERT_EQ(pipe2(ends.data(), O_CLOEXEC), 0);
    const pid_t child = start({"solve", footage, "-o", (out / "cut").string(), "--progress", "json"}, ends[1]);
    close(ends[1]);
    const std::unique_ptr<std::FILE, int (*)(std::FILE*)> progress(fdopen(ends[0], "r"), std::fclose);
    EXPECT_TRUE(readUntil(progress.get(), share)) << share;
    kill(child, SIGINT);
    while (std::fgetc(progress.get()) != EOF) continue;  // a full pipe would hold it up
    int status = 0;
    waitpid(child, &status, 0);
    ASSERT_TRUE(WIFEXITED(status));
    EXPECT_EQ(WEXITSTATUS(status), 130) << share;
    EXPECT_TRUE(nothingIn(out / "cut")) << share;
  }
}

TEST_F(CliTest, KilledDuringASolveItLeavesAnEarlierProjectOpenable) {
  const std::string folder = shot(ShotKind::Free), target = (out / "kept").string();
  const fs::path project = fs::path(target) / (fs::path(folder).stem().string() + ".moth");
  ASSERT_EQ(moth({"solve", folder, "-o", target, "--quiet"}).code, 0);
  for (int wait_ms : {300, 1500, 2500, 3200}) {
    const pid_t child = start({"solve", folder, "-o", target, "--quiet", "--seed", "2"});
    std::this_thread::sleep_for(std::chrono::milliseconds(wait_ms));
    kill(child, SIGKILL);
    waitpid(child, nullptr, 0);
    Workspace workspace;
    ASSERT_TRUE(workspace.openProject(project).ok()) << "killed after " << wait_ms << " ms";
    EXPECT_TRUE(workspace.solution());
    EXPECT_TRUE(nlohmann::json::accept(*readFile(fs::path(target) / "report.json")));
  }
}

TEST_F(CliTest, AProjectBringsItsSettingsMasksAndTracksByHandAndIsLeftAlone) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(shot(ShotKind::Free)).ok());
  Mask left{.id = 1, .name = "left", .shape = MaskShape::Box, .keys = {{.frame = 1, .position = Vec2(160, 180), .points = {Vec2(160, 180)}}}};
  ASSERT_TRUE(w.run(changeMask("Draw mask", w.document(), left)).ok());
  HandTrack hand = newHandTrack(w.document(), {});
  for (int f = 3; f <= 9; ++f) hand.putKey(f, {400.0 + f, 120});
  ASSERT_TRUE(w.run(changeHandTrack("Place track", w.document(), hand)).ok());
  const fs::path project = out / "quay.moth";
  ASSERT_TRUE(w.saveAs(project).ok() && w.flush().ok());
  const std::string json = (out / "tracks.json").string();
  const Ran ran = moth({"track", project.string(), "-o", json, "--frames", "2-12"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  const auto tracks = tracksFromJson(*readFile(json));
  ASSERT_TRUE(tracks.ok());
  EXPECT_EQ(tracks->first_frame, 2);
  ASSERT_EQ(tracks->tracks.back().id, kFirstHandId);
  EXPECT_EQ(tracks->tracks.back().life(), 7);
  for (const Track& t : tracks->tracks) {
    if (t.id < kFirstHandId) EXPECT_GT(t.at(t.born())->position.x(), 318);
  }
  Workspace again;
  ASSERT_TRUE(again.openProject(project).ok());
  EXPECT_EQ(again.document(), w.document()) << "the command line changes no project";
  EXPECT_THAT(moth({"track", shot(ShotKind::Free), "-o", json, "--alpha"}).err, HasSubstr("no alpha"));
  const Ran checked = moth({"frames", project.string(), "--check", "--frames", "3-9", "--exposure", "1", "--json", "--quiet"});
  EXPECT_EQ(checked.code, 0) << checked.err;
  EXPECT_THAT(checked.out, HasSubstr("\"frame\": 9"));
  EXPECT_THAT(moth({"track", project.string(), "-o", json, "--max-tracks", "90"}).err, HasSubstr("a project keeps its own tracking settings"));
}

TEST_F(CliTest, ToneAndNumbersAreTakenFromTheArguments) {
  const std::string json = (out / "tracks.json").string();
  const Ran ran = moth({"track", shot(ShotKind::Free), "-o", json, "--frame-offset", "1000", "--frames", "1003-1009", "--channel", "green", "--exposure", "0.5",
                        "--even-contrast"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  const auto tracks = tracksFromJson(*readFile(json));
  ASSERT_TRUE(tracks.ok());
  EXPECT_EQ(tracks->first_frame, 1003);
  EXPECT_GT(tracks->tracks.size(), 50u);
  EXPECT_EQ(moth({"track", shot(ShotKind::Free), "-o", json, "--gamma", "9"}).code, 2);
}

TEST_F(CliTest, SolvesAProjectAndDeliversTheObject) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(shot(ShotKind::Free)).ok());
  FollowOptions few = w.document().tracking;
  few.features = 250;
  ASSERT_TRUE(w.run(setMember("Features", &Document::tracking, few)).ok());
  ASSERT_TRUE(w.run(addRun(w.document(), {.region = {{200, 90}, {460, 90}, {460, 300}, {200, 300}}, .first_frame = 4, .last_frame = 9})).ok());
  LensSettings lens = w.document().lens;
  lens.focal = FocalKnowledge::Near, lens.focal_mm = 560.0 / 640 * lens.sensor_mm;
  ASSERT_TRUE(w.run(setMember("Lens", &Document::lens, lens)).ok());
  const fs::path project = out / "quay.moth", target = out / "solved";
  ASSERT_TRUE(w.saveAs(project).ok() && w.flush().ok());
  const Ran ran = moth({"solve", project.string(), "-o", target.string(), "--object"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  EXPECT_GT(fs::file_size(target / "object.glb"), 1000u);
  Workspace solved;
  ASSERT_TRUE(solved.openProject(target / "quay.moth").ok());
  EXPECT_EQ(solved.document().extra_runs, w.document().extra_runs);
  EXPECT_EQ(solved.document().lens.focal, FocalKnowledge::Near) << "a project keeps its lens";
  ASSERT_TRUE(solved.solution());
  EXPECT_NEAR(solved.solution()->lens().focal_px, 560, 12);
  const Ran plain = moth({"solve", project.string(), "-o", (out / "plain").string(), "--quiet"});
  EXPECT_EQ(plain.code, 0);
  EXPECT_FALSE(fs::exists(out / "plain" / "object.glb")) << "only when asked for";
}

TEST_F(CliTest, AReviewMovieShowsTheSolvedShot) {
  const std::string project = solvedProject(), movie = (out / "review.mp4").string();
  const Ran ran = moth({"review", project, "-o", movie, "--grid", "--points", "--height", "240", "--frames", "3-12"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("review.mp4"));
  const Ran info = moth({"info", movie});
  EXPECT_THAT(info.out, HasSubstr("h264"));
  EXPECT_THAT(info.out, HasSubstr("10"));
  const Ran outside = moth({"review", project, "-o", movie, "--frames", "3-1200", "--quiet"});
  EXPECT_EQ(outside.code, 2);
  EXPECT_THAT(outside.err, HasSubstr("1200"));
  EXPECT_THAT(moth({"review", project, "-o", movie, "--whisker", "-3"}).err, HasSubstr("enlarged"));
  EXPECT_THAT(moth({"review", project, "-o", project}).err, HasSubstr(".moth")) << "the project is no place for it";
  EXPECT_EQ(moth({"review", (out / "none.moth").string(), "-o", movie}).code, 2);
  EXPECT_THAT(moth({"info", movie}).out, HasSubstr("h264")) << "what was there is there";
}

TEST_F(CliTest, ASweepSaysWhatTheFootageTells) {
  const std::string project = solvedProject();
  const Ran ran = moth({"sweep", project, "--parameter", "focal_px", "--from", "500", "--to", "620", "--points", "7", "--json", "--quiet"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  const auto result = nlohmann::json::parse(ran.out);
  EXPECT_EQ(result["verdict"], "clear") << ran.out;
  EXPECT_NEAR(result["best"], 560, 12);
  EXPECT_GT(result["points"].size(), 7u);
  EXPECT_THAT(moth({"sweep", project, "--parameter", "k9", "--from", "0", "--to", "1", "--quiet"}).err, HasSubstr("k9"));
  const Ran grid = moth({"sweep", project, "--parameter", "focal_px", "--from", "540", "--to", "580", "--points", "3", "--second", "cx_px", "--second-from",
                         "310", "--second-to", "335", "--second-points", "3", "--quiet"});
  EXPECT_EQ(grid.code, 0) << grid.err;
  EXPECT_THAT(grid.out, HasSubstr("Lowest at focal_px"));
  // The readout is asked for in milliseconds; a still set of a global shutter tells that it is none.
  const Ran readout = moth({"sweep", project, "--parameter", "readout_ms", "--from", "-15", "--to", "15", "--points", "7", "--json", "--quiet"});
  ASSERT_EQ(readout.code, 0) << readout.err;
  const auto ms = nlohmann::json::parse(readout.out);
  EXPECT_EQ(ms["points"].front()["value"], -15);
  EXPECT_NEAR(ms["best"], 0, 3);
  EXPECT_THAT(ms["sentence"], HasSubstr(" ms"));
}

TEST_F(CliTest, KnownLensValuesStandAndBadOnesAreRefused) {
  const fs::path target = out / "known";
  ASSERT_EQ(moth({"solve", shot(ShotKind::Free), "-o", target.string(), "--value", "k1=-0.05", "--value", "cx_px=320,0.5", "--quiet"}).code, 0);
  const auto lens = nlohmann::json::parse(*readFile(target / "report.json"))["cameras"]["A"]["lens"];
  EXPECT_EQ(lens["parameters"]["k1"], -0.05);
  EXPECT_TRUE(lens["sigma"]["k1"].is_null());
  EXPECT_NEAR(lens["parameters"]["cx_px"], 320, 2);
  ASSERT_GT(lens["curve"].size(), 10u);
  EXPECT_EQ(lens["curve"].front()["bend_px"], 0);
  EXPECT_LT(lens["curve"].back()["bend_px"], 0) << "a barrel draws the corners in";
  for (const char* bad : {"k1", "k1=", "k1=one", "k1=1,2,3", "=3", "k1=0.1,x"}) {
    const Ran ran = moth({"solve", shot(ShotKind::Free), "-o", (out / "bad").string(), "--value", bad, "--quiet"});
    EXPECT_EQ(ran.code, 2) << bad;
    EXPECT_THAT(ran.err, HasSubstr("--value")) << bad;
  }
  const Ran unheard = moth({"solve", shot(ShotKind::Free), "-o", (out / "bad").string(), "--value", "bulge=1", "--quiet"});
  EXPECT_EQ(unheard.code, 2);
  EXPECT_THAT(unheard.err, HasSubstr("bulge"));
  EXPECT_FALSE(fs::exists(out / "bad"));
}

TEST_F(CliTest, ASolvedLensServesAnotherShot) {
  const fs::path first = out / "first", second = out / "second";
  ASSERT_EQ(moth({"solve", shot(ShotKind::Free), "-o", first.string(), "--quiet"}).code, 0);
  ASSERT_EQ(moth({"solve", shot(ShotKind::Orbit), "-o", second.string(), "--lens-file", (first / "report.json").string(), "--quiet"}).code, 0);
  const auto a = nlohmann::json::parse(*readFile(first / "report.json")), b = nlohmann::json::parse(*readFile(second / "report.json"));
  EXPECT_EQ(a["cameras"]["A"]["lens"]["parameters"], b["cameras"]["A"]["lens"]["parameters"]);
  EXPECT_TRUE(b["cameras"]["A"]["lens"]["sigma"]["focal_px"].is_null()) << "locked";
}

}  // namespace dusky::testing
