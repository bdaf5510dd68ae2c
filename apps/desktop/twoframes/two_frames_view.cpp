#include "apps/desktop/twoframes/two_frames_view.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QSignalBlocker>
#include <QSpinBox>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/track_glyphs.h"

namespace dusky::desktop {
namespace {

constexpr double kReach_px = 9;  // of the screen

QSpinBox* frameBox(const char* name, const QString& tip) {
  auto* box = new QSpinBox;
  box->setObjectName(name);
  box->setKeyboardTracking(false);
  box->setFocusPolicy(Qt::ClickFocus);
  box->setFixedWidth(74);
  box->setToolTip(tip);
  return box;
}

}  // namespace

PairPicture::PairPicture(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setToolTip(tr("Filled: agrees with the geometry of the two views. Dash: does not. Click a point to see where it must lie in the other picture."));
  connect(&session_.frames, &FrameStore::ready, this, qOverload<>(&QWidget::update));
}

void PairPicture::show(int frame, const FramePair* pair, bool second) {
  frame_ = frame, pair_ = pair, second_ = second;
  update();
}

void PairPicture::mark(std::optional<Vec2> point, std::optional<Vec3> line) {
  point_ = point, line_ = line;
  update();
}

QRectF PairPicture::area() const {
  const FootageInfo& info = session_.model.workspace().footage();
  const double scale = std::min(static_cast<double>(width()) / std::max(1, info.width), static_cast<double>(height()) / std::max(1, info.height));
  const double w = scale * info.width, h = scale * info.height;
  return {(width() - w) / 2, (height() - h) / 2, w, h};
}

QPointF PairPicture::toWidget(const Vec2& p) const {
  const QRectF box = area();
  const double scale = box.width() / std::max(1, session_.model.workspace().footage().width);
  return box.topLeft() + scale * QPointF(p.x(), p.y());
}

void PairPicture::mousePressEvent(QMouseEvent* event) {
  const QRectF box = area();
  if (event->button() != Qt::LeftButton || !pair_ || !box.contains(event->position())) return;
  const auto& places = second_ ? pair_->in_b : pair_->in_a;
  double least = kReach_px;
  std::optional<std::size_t> nearest;
  for (std::size_t i = 0; i < places.size(); ++i) {
    const QPointF away = toWidget(places[i]) - event->position();
    if (std::hypot(away.x(), away.y()) < least) least = std::hypot(away.x(), away.y()), nearest = i;
  }
  const double scale = session_.model.workspace().footage().width / box.width();
  const QPointF at = scale * (event->position() - box.topLeft());
  emit picked(nearest ? places[*nearest] : Vec2(at.x(), at.y()), nearest ? pair_->tracks[*nearest] : 0);
}

void PairPicture::drawLine(QPainter& painter, const Vec3& line) const {
  const FootageInfo& info = session_.model.workspace().footage();
  const Vec2 normal(line.x(), line.y()), along(-line.y(), line.x());
  const Vec2 nearest = -line.z() * normal;
  const double reach = 4.0 * (info.width + info.height) + nearest.norm();
  for (const auto& pen : {QPen(QColor(12, 8, 16, 190), 3.5), QPen(color::Lamp, 1.4)}) {
    painter.setPen(pen);
    painter.drawLine(toWidget(nearest - reach * along), toWidget(nearest + reach * along));
  }
}

void PairPicture::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.fillRect(rect(), color::Night);
  if (!session_.model.hasFootage()) return;
  const QRectF box = area();
  const QImage picture = session_.frames.frame(frame_);
  painter.setRenderHint(QPainter::SmoothPixmapTransform);
  if (!picture.isNull()) painter.drawImage(box, picture);
  painter.fillRect(box, QColor(10, 7, 14, 90));
  painter.setClipRect(box);
  painter.setRenderHint(QPainter::Antialiasing);
  for (std::size_t i = 0; pair_ && i < pair_->tracks.size(); ++i) {
    const QPointF at = toWidget((second_ ? pair_->in_b : pair_->in_a)[i]);
    const bool agrees = pair_->agrees[i], chosen = session_.selection.contains(pair_->tracks[i]);
    const double residual = pair_->fit.found() ? pair_->fit.residuals_px[i] : 0;
    const Glyph glyph = agrees ? Glyph::Kept : Glyph::SetAside;
    drawGlyph(painter, at, glyph, false, QColor(12, 8, 16, 190), 8);
    drawGlyph(painter, at, glyph, false, chosen ? color::Lamp : errorQColor(residual, session_.view.errorTop()), 5.5);
  }
  if (line_) drawLine(painter, *line_);
  if (!point_) return;
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(color::Lamp, 1.6));
  painter.drawEllipse(toWidget(*point_), 8, 8);
}

TwoFramesView::TwoFramesView(Session& session, QWidget* parent) : QWidget(parent), session_(session), text_(new QLabel) {
  setObjectName("twoFrames");
  text_->setObjectName("pairText");
  text_->setProperty("role", "quiet");
  text_->setWordWrap(true);
  text_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  auto* row = new QHBoxLayout;
  row->setSpacing(6);
  auto* choice = new QHBoxLayout;
  choice->setSpacing(6);
  for (const bool second : {false, true}) {
    PairPicture*& picture = pictures_[second];
    QSpinBox*& frame = frames_[second];
    picture = new PairPicture(session_);
    picture->setObjectName(second ? "pairSecond" : "pairFirst");
    frame = frameBox(second ? "secondFrame" : "firstOfPair",
                     second ? tr("The other frame, in the footage's own numbers.") : tr("One frame, in the footage's own numbers."));
    row->addWidget(picture, 1);
    choice->addWidget(new QLabel(second ? tr("and frame") : tr("Frame")));
    choice->addWidget(frame);
    connect(picture, &PairPicture::picked, this, [this, second](const Vec2& point, int track) { pick(second, point, track); });
    connect(frame, &QSpinBox::valueChanged, this, &TwoFramesView::refresh);
  }
  choice->addStretch();
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(6, 0, 6, 4);
  all->setSpacing(4);
  all->addLayout(choice);
  all->addLayout(row, 1);
  all->addWidget(text_);
  const auto bounds = [this] {
    for (QSpinBox* frame : frames_) {
      const QSignalBlocker quiet(frame);
      frame->setRange(session_.model.firstFrame(), session_.model.lastFrame());
    }
  };
  connect(&session_.model, &DocumentModel::documentChanged, this, bounds);
  connect(&session_.model, &DocumentModel::opened, this, [this, bounds] {
    bounds();
    const int first = session_.model.firstFrame(), last = session_.model.lastFrame();
    const QSignalBlocker one(frames_[0]), two(frames_[1]);
    frames_[0]->setValue(first);
    frames_[1]->setValue(std::min(last, first + std::max(1, (last - first) / 6)));
  });
  connect(&session_.model, &DocumentModel::resultsChanged, this, [this] {
    stale_ = true;
    if (isVisible() && !session_.model.partial()) refresh();
  });
  connect(&session_.selection, &Selection::changed, this, [this] {
    for (PairPicture* picture : pictures_) picture->update();
  });
}

void TwoFramesView::showEvent(QShowEvent*) {
  if (stale_) refresh();
}

void TwoFramesView::refresh() {
  stale_ = false;
  pair_.reset();
  problem_.clear();
  const TrackSetPtr tracks = session_.model.tracks();
  if (tracks) {
    auto made = pairOf(*tracks, frames_[0]->value(), frames_[1]->value());
    if (made.ok())
      pair_ = std::move(*made);
    else
      problem_ = QString::fromStdString(made.error().message);
  }
  for (const bool second : {false, true}) {
    pictures_[second]->show(frames_[second]->value(), pair_ ? &*pair_ : nullptr, second);
    pictures_[second]->mark({}, {});
  }
  tell({});
}

void TwoFramesView::tell(const QString& extra) {
  if (!pair_) return text_->setText(problem_.isEmpty() ? tr("Track features first: then this shows what two frames have in common.") : problem_);
  text_->setText(QString::fromStdString(pair_->sentence()) + extra);
}

void TwoFramesView::pick(bool second, const Vec2& point, int track) {
  pictures_[second]->mark(point, {});
  if (track) session_.selection.pick({track}, Selection::Mode::Replace);
  if (!pair_ || !pair_->fit.found()) return pictures_[!second]->mark({}, {});
  // From the second picture the line is that of the transposed matrix.
  const Mat3 fundamental = second ? Mat3(pair_->fit.fundamental.transpose()) : pair_->fit.fundamental;
  const Vec3 line = epipolarLine(fundamental, point);
  std::optional<Vec2> other;
  QString extra;
  for (std::size_t i = 0; i < pair_->tracks.size(); ++i) {
    if (!track || pair_->tracks[i] != track) continue;
    other = (second ? pair_->in_a : pair_->in_b)[i];
    extra = tr(" Track %1 lies %2 px off its line; residual %3 px.")
                .arg(track)
                .arg(pxText(std::abs(line.head<2>().dot(*other) + line.z())))
                .arg(pxText(pair_->fit.residuals_px[i]));
  }
  pictures_[!second]->mark(other, line);
  tell(extra);
}

}  // namespace dusky::desktop
