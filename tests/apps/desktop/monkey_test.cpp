// A monkey at the window: clicks, drags, keys and menus drawn at random, with a seed. DUSKY_MONKEY_SECONDS (60) and DUSKY_MONKEY_SEED (1) say how long
// and which; a failure prints the last things it did.
#include <execinfo.h>
#include <fmt/format.h>
#include <pthread.h>
#include <time.h>
#include <unistd.h>

#include <QAbstractButton>
#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QFileDialog>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QPointer>
#include <QWheelEvent>
#include <QMenuBar>
#include <QMessageBox>
#include <QTimer>
#include <array>
#include <csignal>
#include <malloc.h>
#include <deque>
#include <fstream>
#include <random>
#include <thread>

#include "tests/apps/desktop/run_tests.h"
#include "tests/support/shot_maker.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace {
namespace fs = std::filesystem;

/// What the allocator only keeps for later is given back first.
double residentMb() {
  malloc_trim(0);
  std::ifstream read("/proc/self/statm");
  long all = 0, resident = 0;
  read >> all >> resident;
  return static_cast<double>(resident) * static_cast<double>(sysconf(_SC_PAGESIZE)) / 1e6;
}

/// Time that the interface thread has worked, so that a slow machine beside other work makes no hang.
double workedSeconds(clockid_t clock) {
  timespec t{};
  clock_gettime(clock, &t);
  return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

int fromEnvironment(const char* name, int usual) {
  const QByteArray text = qgetenv(name);
  return text.isEmpty() ? usual : text.toInt();
}

/// Where the interface thread is, on stderr: what was slow is seldom the act itself.
void printStack(int) {
  std::array<void*, 60> frames{};
  backtrace_symbols_fd(frames.data(), backtrace(frames.data(), static_cast<int>(frames.size())), STDERR_FILENO);
}

/// Looks over the interface thread's shoulder while an act takes long.
class SlowWatch {
 public:
  explicit SlowWatch(clockid_t clock) : clock_(clock), watched_(pthread_self()), worker_([this](const std::stop_token& stop) { watch(stop); }) {
    std::array<void*, 1> first{};
    (void)backtrace(first.data(), 1);  // its library is loaded now, not in the handler
    std::signal(SIGUSR1, printStack);
  }
  void begins(double now) { since_s_ = now; }

 private:
  void watch(const std::stop_token& stop) {
    constexpr double kEvery = 1.0;
    double told = 0;
    while (!stop.stop_requested()) {
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
      const double now = workedSeconds(clock_), since = std::max<double>(since_s_, told);
      if (now - since < kEvery) continue;
      told = now;
      pthread_kill(watched_, SIGUSR1);
    }
  }
  clockid_t clock_;
  pthread_t watched_;
  std::atomic<double> since_s_ = 1e300;
  std::jthread worker_;
};

class Monkey : public QObject {
 public:
  Monkey(desktop::MainWindow& window, const fs::path& folder, unsigned seed) : window_(window), folder_(folder), random_(seed) {
    pthread_getcpuclockid(pthread_self(), &clock_);
    watch_ = std::make_unique<SlowWatch>(clock_);
  }

  void play(double seconds) {
    left_.start();
    limit_ms_ = static_cast<qint64>(1000 * seconds);
    ends_ = false;
    next();
    while (!ends_) QApplication::processEvents(QEventLoop::WaitForMoreEvents, 50);
  }

  int acts() const { return acts_; }
  double longest() const { return longest_s_; }
  const std::string& longestAct() const { return longest_act_; }
  /// At each tenth of the time.
  const std::vector<double>& memoryMb() const { return memory_mb_; }
  static constexpr int kLooks = 10;
  std::string history() const {
    std::string text;
    for (const std::string& one : last_) text += one + "\n";
    return text;
  }

 private:
  /// Also inside the loops that dialogs have of their own.
  void next() { QTimer::singleShot(0, this, &Monkey::turn); }

  void turn() {
    const double now = workedSeconds(clock_);
    if (acts_ > 0 && now - since_s_ > longest_s_) longest_s_ = now - since_s_, longest_act_ = last_.empty() ? "" : last_.back();
    constexpr double kSlow = 0.5;
    if (acts_ > 0 && now - since_s_ > kSlow) fmt::print("slow: {:.2f} s: {}\n", now - since_s_, last_.empty() ? "" : last_.back());
    since_s_ = now;
    watch_->begins(now);
    if (left_.elapsed() > limit_ms_ * static_cast<qint64>(memory_mb_.size() + 1) / kLooks) memory_mb_.push_back(residentMb());
    if (left_.elapsed() > limit_ms_) return finish();
    next();
    ++acts_;
    stayInFolder();
    act();
  }

  /// A delivery goes beside the footage unless another folder is set; the demo shot lies in the sources.
  void stayInFolder() {
    desktop::DocumentModel& model = window_.session().model;
    DeliverySettings delivery = model.document().delivery;
    if (!model.hasFootage() || model.document().footage_path.starts_with(folder_.string()) || !delivery.folder.empty()) return;
    delivery.folder = (folder_ / "delivery").string();
    model.set("Change delivery folder", &Document::delivery, delivery);
  }

  /// Leaves every dialog that is open, one after the other.
  void finish() {
    if (QWidget* popup = QApplication::activePopupWidget()) {
      popup->close();
      return next();
    }
    if (auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget())) {
      dialog->reject();
      return next();
    }
    ends_ = true;
  }

  int below(int count) { return count < 1 ? 0 : std::uniform_int_distribution<int>(0, count - 1)(random_); }
  bool oneIn(int count) { return below(count) == 0; }
  template <class List>
  auto anyOf(const List& list) {
    return list[below(static_cast<int>(list.size()))];
  }
  void did(const std::string& what) {
    last_.push_back(what);
    if (last_.size() > 25) last_.pop_front();
  }

  void act() {
    if (QWidget* popup = QApplication::activePopupWidget()) return oneIn(3) ? key(*popup, Qt::Key_Escape) : poke(*popup);
    QWidget* modal = QApplication::activeModalWidget();
    if (auto* files = qobject_cast<QFileDialog*>(modal)) return name(*files);
    if (auto* dialog = qobject_cast<QDialog*>(modal); dialog && oneIn(6)) return did("reject"), dialog->reject();
    if (modal) return poke(*modal);
    if (!window_.isVisible()) {
      did("show again");
      window_.show();
      return window_.open(QString::fromStdString((folder_ / "quay.0001.png").string()));
    }
    if (!window_.session().model.hasFootage() && oneIn(4)) return did("open"), window_.open(QString::fromStdString((folder_ / "quay.0001.png").string()));
    const int kind = below(20);
    if (kind < 3) return menu();
    if (kind < 7) return key(window_, anyOfKeys());
    if (kind == 7) return resize();
    QWidgetList tops;
    for (QWidget* top : QApplication::topLevelWidgets()) {
      if (top->isVisible() && (top == &window_ || qobject_cast<QDialog*>(top))) tops << top;
    }
    if (!tops.isEmpty()) poke(*anyOf(tops));
  }

  /// In the file dialog only names are typed: the monkey shall not leave its folder.
  void name(QFileDialog& files) {
    static const QStringList kNames = {"quay.0001.png", "quay.0003.png", "notes.txt",  "shot.moth", "other.moth",
                                       "damaged.moth",  "tracks.json",   "tracks.csv", "none.mp4",  "x/y/z.moth"};
    auto* line = files.findChild<QLineEdit*>();
    if (oneIn(3) || !line) return did("reject file dialog"), files.reject();
    const QString chosen = anyOf(kNames);
    did("file " + chosen.toStdString());
    files.setDirectory(QString::fromStdString(folder_.string()));
    line->setText(QString::fromStdString((folder_ / chosen.toStdString()).string()));
    QTest::keyClick(line, Qt::Key_Return);
  }

  Qt::Key anyOfKeys() {
    static constexpr std::array kKeys = {
        Qt::Key_Space, Qt::Key_Left, Qt::Key_Right, Qt::Key_Home,      Qt::Key_End, Qt::Key_Escape, Qt::Key_Delete, Qt::Key_Return, Qt::Key_Tab, Qt::Key_A,
        Qt::Key_C,     Qt::Key_D,    Qt::Key_F,     Qt::Key_G,         Qt::Key_H,   Qt::Key_J,      Qt::Key_K,      Qt::Key_L,      Qt::Key_M,   Qt::Key_N,
        Qt::Key_O,     Qt::Key_P,    Qt::Key_Q,     Qt::Key_R,         Qt::Key_T,   Qt::Key_U,      Qt::Key_X,      Qt::Key_W,      Qt::Key_1,   Qt::Key_2,
        Qt::Key_3,     Qt::Key_4,    Qt::Key_F1,    Qt::Key_Backspace, Qt::Key_Up,  Qt::Key_Down,   Qt::Key_E};
    return kKeys[static_cast<std::size_t>(below(static_cast<int>(kKeys.size())))];
  }

  Qt::KeyboardModifiers anyModifiers() {
    return oneIn(4) ? Qt::KeyboardModifiers(oneIn(2) ? Qt::ControlModifier : oneIn(2) ? Qt::ShiftModifier : Qt::AltModifier) : Qt::NoModifier;
  }

  void key(QWidget& widget, Qt::Key code) {
    const auto with = anyModifiers();
    did(fmt::format("key {} with {} in {}", static_cast<int>(code), static_cast<int>(with), widget.metaObject()->className()));
    QTest::keyClick(&widget, code, with);
  }

  void menu() {
    QList<QAction*> actions;
    for (QAction* one : window_.findChildren<QAction*>()) {
      if (one->isEnabled() && !one->isSeparator() && !one->menu() && !one->text().isEmpty()) actions << one;
    }
    if (actions.isEmpty()) return;
    QAction* chosen = anyOf(actions);
    did("menu " + chosen->text().toStdString());
    chosen->trigger();
  }

  void resize() {
    const QSize size(900 + below(700), 560 + below(440));
    did(fmt::format("resize {}x{}", size.width(), size.height()));
    window_.resize(size);
  }

  void poke(QWidget& top) {
    QWidgetList all;
    for (QWidget* one : top.findChildren<QWidget*>()) {
      if (one->isVisible() && one->isEnabled() && one->window() == &top && one->width() > 2 && one->height() > 2) all << one;
    }
    QWidget* at = all.isEmpty() ? &top : anyOf(all);
    const QPoint place(below(at->width()), below(at->height()));
    const Qt::MouseButton button = oneIn(8) ? Qt::RightButton : oneIn(15) ? Qt::MiddleButton : Qt::LeftButton;
    did(fmt::format("{} {} at {},{} button {}", at->metaObject()->className(), at->objectName().toStdString(), place.x(), place.y(), static_cast<int>(button)));
    if (auto* line = qobject_cast<QLineEdit*>(at); line && oneIn(2)) return type(*line);
    if (oneIn(6)) return wheel(*at, place);
    if (oneIn(4)) return drag(*at, place, button);
    if (oneIn(10)) return QTest::mouseDClick(at, button, anyModifiers(), place);
    QTest::mouseClick(at, button, anyModifiers(), place);
  }

  void type(QLineEdit& line) {
    static const QStringList kTexts = {"0", "-1", "12", "1e9", "nan", "quay", "35.5", "", "9999999999999", "ü <b>"};
    line.selectAll();
    line.insert(anyOf(kTexts));
    QTest::keyClick(&line, Qt::Key_Return);
  }

  void wheel(QWidget& widget, const QPoint& place) {
    QWheelEvent event(place, widget.mapToGlobal(place), {}, {0, oneIn(2) ? 120 : -120}, Qt::NoButton, anyModifiers(), Qt::NoScrollPhase, false);
    QApplication::sendEvent(&widget, &event);
  }

  void drag(QWidget& widget, const QPoint& from, Qt::MouseButton button) {
    const auto with = anyModifiers();
    QPointer<QWidget> there(&widget);
    QTest::mousePress(&widget, button, with, from);
    for (int i = 0; i < 4 && there; ++i) QTest::mouseMove(&widget, QPoint(below(widget.width()), below(widget.height())));
    if (there) QTest::mouseRelease(&widget, button, with, QPoint(below(widget.width()), below(widget.height())));
  }

  desktop::MainWindow& window_;
  fs::path folder_;
  std::mt19937 random_;
  clockid_t clock_{};
  std::unique_ptr<SlowWatch> watch_;
  QElapsedTimer left_;
  qint64 limit_ms_ = 0;
  bool ends_ = false;
  int acts_ = 0;
  double since_s_ = 0, longest_s_ = 0;
  std::vector<double> memory_mb_;
  std::string longest_act_;
  std::deque<std::string> last_;
};

Monkey* playing = nullptr;

/// What it did stands in the output of a crash as well.
void tellAndDie(int signal) {
  if (playing) fmt::print(stderr, "The monkey's last acts:\n{}", playing->history());
  std::signal(signal, SIG_DFL);
  std::raise(signal);
}

TEST(Monkey, NeitherCrashesNorHangsNorFillsMemory) {
  const double seconds = fromEnvironment("DUSKY_MONKEY_SECONDS", 60);
  const auto seed = static_cast<unsigned>(fromEnvironment("DUSKY_MONKEY_SEED", 1));
  const TemporaryFolder folder;
  for (const auto& entry : fs::directory_iterator(quaySequence(16))) fs::copy_file(entry.path(), folder / entry.path().filename());
  std::ofstream(folder / "notes.txt") << "not for this";
  std::ofstream(folder / "damaged.moth") << "SQLite format 3 and nothing else";
  fs::current_path(folder.path());
  {
    desktop::MainWindow window;
    showWindow(window);
    ASSERT_TRUE(openAndWait(window, QString::fromStdString((folder / "quay.0001.png").string())));
    Monkey monkey(window, folder.path(), seed);
    playing = &monkey;
    for (const int fatal : {SIGSEGV, SIGABRT, SIGFPE, SIGBUS}) std::signal(fatal, tellAndDie);
    monkey.play(seconds);
    fmt::print("{} acts in {:.0f} s with seed {}; longest {:.2f} s ({}); memory {:.0f} MB\n", monkey.acts(), seconds, seed, monkey.longest(),
               monkey.longestAct(), fmt::join(monkey.memoryMb(), " "));
    EXPECT_GT(monkey.acts(), 2 * seconds);
    EXPECT_LT(monkey.longest(), 2) << monkey.longestAct() << "\n" << monkey.history();
    ASSERT_GE(monkey.memoryMb().size(), 9u);
    const auto& memory = monkey.memoryMb();
    EXPECT_LT(*std::min_element(memory.end() - 3, memory.end()), memory[3] + 300) << "it settles; a solve that runs takes some for a while";
    window.session().jobs.cancel();
    EXPECT_TRUE(waitForJobs(window));
    playing = nullptr;
  }
  fs::current_path("/");
}

}  // namespace
}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
