#include "apps/desktop/cards/transport.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QToolButton>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_text.h"

namespace dusky::desktop {
namespace {

QToolButton* button(const char* name, const QString& tip) {
  auto* made = new QToolButton;
  made->setIcon(icon(name));
  made->setIconSize({20, 20});
  made->setToolTip(tip);
  made->setFocusPolicy(Qt::NoFocus);
  return made;
}

QSpinBox* frameField(Session& session) {
  auto* field = new QSpinBox;
  field->setObjectName("frame");
  field->setKeyboardTracking(false);
  field->setFocusPolicy(Qt::ClickFocus);
  field->setButtonSymbols(QAbstractSpinBox::NoButtons);
  field->setAlignment(Qt::AlignRight);
  field->setFixedWidth(58);
  field->setToolTip(QObject::tr("The frame shown, in the footage's own numbers."));
  Playback& playback = session.playback;
  const auto show = [field, &playback] {
    const QSignalBlocker quiet(field);
    field->setRange(playback.first(), playback.last());
    field->setValue(playback.frame());
  };
  QObject::connect(&playback, &Playback::frameChanged, field, show);
  QObject::connect(&playback, &Playback::rangeChanged, field, show);
  QObject::connect(field, &QSpinBox::valueChanged, &playback, [&playback](int frame) {
    playback.pause();
    playback.setFrame(frame);
  });
  show();
  return field;
}

QComboBox* speedField(Playback& playback) {
  auto* field = new QComboBox;
  field->addItem(QObject::tr("¼ speed"), 0.25);
  field->addItem(QObject::tr("½ speed"), 0.5);
  field->addItem(QObject::tr("real time"), 1.0);
  field->addItem(QObject::tr("2 × speed"), 2.0);
  field->setCurrentIndex(2);
  field->setFocusPolicy(Qt::NoFocus);
  field->setToolTip(QObject::tr("How fast playback runs. Frames are left out rather than slowed down."));
  QObject::connect(field, &QComboBox::currentIndexChanged, &playback, [field, &playback] { playback.setSpeed(field->currentData().toDouble()); });
  return field;
}

}  // namespace

Transport::Transport(Session& session, QWidget* parent) : QWidget(parent), session_(session), card_(new QLabel) {
  setObjectName("panel");
  setAttribute(Qt::WA_StyledBackground);
  Playback& playback = session_.playback;
  auto* line = new QHBoxLayout(this);
  line->setContentsMargins(8, 3, 10, 3);
  line->setSpacing(2);
  auto* first = button("first", tr("To the first frame (Home)"));
  auto* back = button("back", tr("One frame back (Left)"));
  auto* play = button("play", tr("Play or pause (Space, L)"));
  auto* forward = button("forward", tr("One frame on (Right)"));
  auto* last = button("last", tr("To the last frame (End)"));
  play->setObjectName("play");
  connect(first, &QToolButton::clicked, this, [&playback] { playback.pause(), playback.setFrame(playback.first()); });
  connect(back, &QToolButton::clicked, this, [&playback] { playback.step(-1); });
  connect(play, &QToolButton::clicked, &playback, &Playback::toggle);
  connect(forward, &QToolButton::clicked, this, [&playback] { playback.step(1); });
  connect(last, &QToolButton::clicked, this, [&playback] { playback.pause(), playback.setFrame(playback.last()); });
  connect(&playback, &Playback::stateChanged, play, [play, &playback] { play->setIcon(icon(playback.playing() ? "pause" : "play")); });
  for (QToolButton* b : {first, back, play, forward, last}) line->addWidget(b);
  line->addSpacing(10);
  line->addWidget(frameField(session_));
  auto* range = new QLabel;
  range->setProperty("role", "quiet");
  const auto show_range = [this, range] {
    const double fps = session_.model.workspace().footage().fps;
    range->setText(session_.model.hasFootage() ? tr("/ %1–%2 · %3 fps").arg(session_.playback.first()).arg(session_.playback.last()).arg(fps, 0, 'g', 4) : "");
  };
  connect(&playback, &Playback::rangeChanged, range, show_range);
  line->addWidget(range);
  line->addSpacing(10);
  line->addWidget(speedField(playback));
  line->addSpacing(12);
  card_->setObjectName("trackCard");
  card_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  card_->setMinimumWidth(20);
  card_->setToolTip(tr("What is known of the track under the pointer, else of the selected ones."));
  line->addWidget(card_, 1);
  connect(&session_.selection, &Selection::changed, this, &Transport::refreshCard);
  connect(&session_.selection, &Selection::hoverChanged, this, &Transport::refreshCard);
  connect(&session_.model, &DocumentModel::resultsChanged, this, &Transport::refreshCard);
}

void Transport::refreshCard() {
  const auto& ids = session_.selection.ids();
  if (session_.selection.hovered())
    card_->setText(trackText(session_.model, session_.selection.hovered()));
  else if (ids.size() == 1)
    card_->setText(trackText(session_.model, ids.front()));
  else
    card_->setText(ids.empty() ? (session_.model.tracks() ? tr("Point at a track to read it.") : "") : selectionText(session_));
}

}  // namespace dusky::desktop
