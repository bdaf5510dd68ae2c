// Parts of the window that need no screen: playback, selection, the eye, the gesture, the frame store.
#include <gtest/gtest.h>

#include <QAction>
#include <QLabel>

#include <QApplication>
#include <QSignalSpy>

#include "apps/desktop/closeup/closeup_view.h"
#include "apps/desktop/coverage/coverage_view.h"
#include "apps/desktop/tracklist/track_list.h"
#include "apps/desktop/twoframes/two_frames_view.h"
#include "apps/desktop/paint/theme.h"
#include "apps/desktop/model/frame_store.h"
#include "apps/desktop/model/playback.h"
#include "apps/desktop/model/selection.h"
#include "apps/desktop/paint/region_gesture.h"
#include "apps/desktop/paint/track_glyphs.h"
#include "apps/desktop/space/eye.h"
#include "tests/apps/desktop/run_tests.h"

namespace dusky::testing {
using namespace desktop;

TEST(Playback, StaysInRangeAndGoesRound) {
  Playback playback;
  playback.setRange(101, 110, 50);
  EXPECT_EQ(playback.frame(), 101);
  playback.setFrame(500);
  EXPECT_EQ(playback.frame(), 110);
  playback.step(-3);
  EXPECT_EQ(playback.frame(), 107);
  std::vector<int> seen;
  QObject::connect(&playback, &Playback::frameChanged, [&](int f) { seen.push_back(f); });
  playback.play(1);
  const auto has = [&](int frame) { return std::find(seen.begin(), seen.end(), frame) != seen.end(); };
  // A busy machine drops frames: which it dropped in one round it shows in another.
  waitUntil([&] { return has(102) && has(110); }, 10000);
  playback.pause();
  EXPECT_TRUE(has(102)) << "it goes round";
  EXPECT_TRUE(has(110)) << "to the last frame";
  for (int f : seen) EXPECT_TRUE(f >= 101 && f <= 110);
}

TEST(Selection, KeepsTheOrderOfPickingAndToggles) {
  Selection selection;
  QSignalSpy changes(&selection, &Selection::changed);
  selection.pick({7, 3}, Selection::Mode::Replace);
  selection.pick({9}, Selection::Mode::Add);
  EXPECT_EQ(selection.ids(), (std::vector<int>{7, 3, 9}));
  selection.pick({3, 4}, Selection::Mode::Toggle);
  EXPECT_EQ(selection.ids(), (std::vector<int>{7, 9, 4}));
  EXPECT_TRUE(selection.contains(9));
  EXPECT_FALSE(selection.contains(3));
  EXPECT_EQ(changes.count(), 3);
  selection.pick({7, 9, 4}, Selection::Mode::Replace);
  EXPECT_EQ(changes.count(), 3) << "nothing changed, nobody is told";
}

TEST(RegionGesture, ASmallOneIsAClick) {
  RegionGesture gesture;
  gesture.begin({10, 10}, ViewSettings::Tool::Box);
  gesture.move({11, 12});
  EXPECT_TRUE(gesture.end().isEmpty());
  gesture.begin({50, 60}, ViewSettings::Tool::Box);
  gesture.move({20, 90});
  EXPECT_TRUE(gesture.end().containsPoint({30, 80}, Qt::OddEvenFill));
  EXPECT_FALSE(gesture.active());
}

QVector3D clip(const QMatrix4x4& m, const QVector3D& p) { return m.map(p); }

TEST(Eye, OrbitLooksAtItsTargetAndTopLooksDown) {
  Eye eye;
  eye.look({3, 0, -2}, 5);
  for (Eye::Mode mode : {Eye::Mode::Orbit, Eye::Mode::Top, Eye::Mode::Front, Eye::Mode::Side}) {
    eye.mode = mode;
    const QMatrix4x4 m = eye.matrix(1.5f, nullptr, nullptr);
    EXPECT_NEAR(clip(m, eye.target).x(), 0, 1e-4);
    EXPECT_NEAR(clip(m, eye.target).y(), 0, 1e-4);
  }
  eye.mode = Eye::Mode::Top;
  // From above with no turn, what lies towards -Z is up on the screen.
  eye.yaw_rad = 0;
  EXPECT_GT(clip(eye.matrix(1, nullptr, nullptr), {3, 0, -4}).y(), 0);
}

TEST(Eye, DraggingMovesTheSetWithThePointer) {
  Eye eye;
  eye.look({0, 0, 0}, 4);
  const QVector3D point = eye.target;
  eye.move(30, 0, 600);  // 30 px to the right in a view 600 px high
  const float right = clip(eye.matrix(1, nullptr, nullptr), point).x();
  EXPECT_NEAR(right, 30.0f / 300, 0.004f);
}

TEST(Eye, ThroughTheCameraIsThePinholeOfTheLens) {
  Lens lens = Lens::simple(1280, 720, 1100);
  lens.cx_px = 655;
  const Pose camera{rotationFromVector(Vec3(0.1, 2.8, 0.2)), Vec3(1, 2, 3)};
  Eye eye;
  eye.mode = Eye::Mode::Camera;
  const QMatrix4x4 m = eye.matrix(1280.0f / 720, &camera, &lens);
  const Vec3 p = camera.centre + camera.direction(Vec3(0.3, -0.2, 1) * 4);
  const QVector3D at = clip(m, {static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z())});
  EXPECT_NEAR((at.x() + 1) / 2 * 1280, 655 + 1100 * 0.3, 0.05);
  EXPECT_NEAR((1 - at.y()) / 2 * 720, 360 - 1100 * 0.2, 0.05);
}

TEST(Glyphs, StatesLookDifferentInGreyscale) {
  std::vector<QImage> shapes;
  for (Glyph glyph : {Glyph::Kept, Glyph::Unplaced, Glyph::SetAside, Glyph::Holdout}) {
    for (bool pinned : {false, true}) {
      QImage image(24, 24, QImage::Format_Grayscale8);
      image.fill(Qt::black);
      QPainter painter(&image);
      painter.setRenderHint(QPainter::Antialiasing);
      drawGlyph(painter, {12, 12}, glyph, pinned, Qt::white, 8);
      painter.end();
      for (const QImage& other : shapes) {
        int different = 0;
        for (int y = 0; y < 24; ++y) {
          for (int x = 0; x < 24; ++x) different += std::abs(qGray(image.pixel(x, y)) - qGray(other.pixel(x, y))) > 100;
        }
        EXPECT_GE(different, 6);
      }
      shapes.push_back(image);
    }
  }
}

TEST(Theme, TextStandsOutFromItsGround) {
  const auto luminance = [](const QColor& c) {
    const auto linear = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
    return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
  };
  for (const QColor& text : {color::Text, color::Quiet}) {
    for (const QColor& ground : {color::Night, color::Ground, color::Panel, color::Raised}) {
      EXPECT_GE((luminance(text) + 0.05) / (luminance(ground) + 0.05), 4.5) << text.name().toStdString() << " on " << ground.name().toStdString();
    }
  }
}

TEST(FrameStore, ReadsAheadAndForgetsTheOtherShot) {
  FrameStore store;
  QSignalSpy failures(&store, &FrameStore::failed);
  store.setFootage(MainWindow::demoPath(), {}, 1, 120);
  EXPECT_TRUE(store.frame(10).isNull());
  ASSERT_TRUE(waitUntil([&] { return !store.frame(10).isNull() && !store.frame(13).isNull(); }, 10000));
  EXPECT_EQ(store.frame(10).size(), QSize(1280, 720));
  store.setFootage("/nowhere.mp4", {}, 1, 5);
  EXPECT_TRUE(store.frame(1).isNull());
  ASSERT_TRUE(waitUntil([&] { return failures.count() > 0; }, 5000));
  EXPECT_TRUE(failures.front().front().toString().contains("/nowhere.mp4"));
}

TEST(FrameStore, ShowsWhatMasksLeaveOutAndForgetsWhatItShowedBefore) {
  FrameStore store;
  store.setFootage(MainWindow::demoPath(), {}, 1, 120);
  const FootageInfo footage{"demo", "movie", 1280, 720, 24.0, 1, 120};
  ASSERT_TRUE(waitUntil([&] { return !store.frame(10).isNull(); }, 10000));
  const QImage plain = store.frame(10);
  MaskSettings masks;
  masks.shapes = {{.id = 1, .name = "left", .shape = MaskShape::Box, .keys = {{.frame = 1, .position = Vec2(200, 360), .points = {Vec2(200, 360)}}}}};
  QSignalSpy ready(&store, &FrameStore::ready);
  store.setMasks(masks, footage);
  EXPECT_EQ(ready.front().front().toInt(), FrameStore::kAllChanged);
  ASSERT_TRUE(waitUntil([&] { return !store.frame(10).isNull(); }, 10000));
  const QImage masked = store.frame(10);
  EXPECT_EQ(masked.pixel(900, 300), plain.pixel(900, 300));
  EXPECT_NE(masked.pixel(200, 300), plain.pixel(200, 300));
  store.setMasks({}, footage);
  ASSERT_TRUE(waitUntil([&] { return !store.frame(10).isNull(); }, 10000));
  EXPECT_EQ(store.frame(10).pixel(200, 300), plain.pixel(200, 300));
}

TEST(FrameStore, TwoViewsMayAskForDifferentFramesInTurn) {
  FrameStore store;
  store.setFootage(MainWindow::demoPath(), {}, 1, 120);
  // Each time one is ready both ask again, as two pictures side by side do.
  ASSERT_TRUE(waitUntil(
      [&] {
        const bool first = !store.frame(5).isNull(), second = !store.frame(90).isNull();
        return first && second;
      },
      15000));
}

TEST(FrameStore, KeepsWithinItsBoundWhatWasSeenLast) {
  FrameStore store;
  store.setBound(std::size_t{4} * 1280 * 720 * 4 + 100);
  EXPECT_EQ(store.bound(), std::size_t{4} * 1280 * 720 * 4 + 100);
  store.setFootage(MainWindow::demoPath(), {}, 1, 120);
  for (int frame = 1; frame <= 9; frame += 2) ASSERT_TRUE(waitUntil([&] { return !store.frame(frame).isNull(); }, 10000)) << frame;
  QTest::qWait(300);
  EXPECT_TRUE(store.frame(1).isNull()) << "it had to give way";
}

TEST(FrameStore, ShowsFramesAsTheArtistTakesThem) {
  FrameStore store;
  store.setFootage(MainWindow::demoPath(), {.frame_offset = 1000, .tone = {.channel = Channel::Red}}, 1001, 1120);
  ASSERT_TRUE(waitUntil([&] { return !store.frame(1010).isNull(); }, 10000));
  const QColor c = store.frame(1010).pixelColor(900, 200);
  EXPECT_EQ(c.red(), c.green());
  EXPECT_EQ(c.red(), c.blue());
}

TEST(EmptyViews, SayWhatTheyWaitFor) {
  MainWindow window;
  showWindow(window);
  ASSERT_TRUE(openAndWait(window, MainWindow::demoPath()));
  EXPECT_LE(window.minimumSizeHint().width(), 1280) << "it must fit a small screen";
  EXPECT_FALSE(window.coverage().coverage());
  EXPECT_FALSE(window.twoFrames().pair());
  EXPECT_EQ(window.closeup().track(), 0);
  EXPECT_EQ(window.trackList().shown(), 0);
  window.showView(desktop::View::TwoFrames);
  window.showView(desktop::View::Coverage);
  QTest::qWait(50);
  EXPECT_TRUE(window.findChild<QLabel*>("pairText")->text().contains("Track features first"));
  EXPECT_FALSE(window.coverage().grab().isNull());
  // A press where there is nothing yet does nothing.
  QTest::mouseClick(&window.coverage(), Qt::LeftButton, {}, QPoint(300, 60));
  EXPECT_FALSE(window.coverage().hasChoice());
  for (QAction* one : {window.editActions().cut, window.editActions().join, window.editActions().remove, window.editActions().key_here})
    EXPECT_FALSE(one->isEnabled());
}

}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
