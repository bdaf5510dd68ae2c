#include <QAction>
#include <QLabel>
#include <QPushButton>
#include <algorithm>
#include <filesystem>

#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/settings_body.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

/// Appearance for spoilt frames; says which, and leaves them out in one go.
QWidget* checkSettings(Session& session) {
  auto* body = new QWidget;
  auto* column = new QVBoxLayout(body);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  auto* check = new QPushButton(QObject::tr("Check the frames"));
  check->setObjectName("checkFrames");
  check->setToolTip(QObject::tr("Looks for frames that are blurred, repeated or across a cut, and draws their sharpness and brightness under the error map."));
  auto* said = quietLabel("");
  said->setObjectName("checkText");
  auto* leave_out = new QPushButton(QObject::tr("Leave these frames out"));
  leave_out->setObjectName("leaveOutMarked");
  leave_out->setToolTip(QObject::tr("The marked frames are not tracked and get no camera. Undo takes it back."));
  auto* use_all = new QPushButton(QObject::tr("Use all frames again"));
  use_all->setObjectName("useAllFrames");
  use_all->setToolTip(QObject::tr("Frames that were left out are looked at again."));
  for (QWidget* w : std::initializer_list<QWidget*>{check, said, leave_out, use_all}) column->addWidget(w);
  enableWithFootage(check, session);
  const auto marked = [&session] {
    std::vector<int> frames;
    const auto& out = session.model.document().footage.left_out;
    for (const CheckedFrame& frame : session.jobs.checked()) {
      if (frame.fault != FrameFault::None && !std::binary_search(out.begin(), out.end(), frame.frame)) frames.push_back(frame.frame);
    }
    return frames;
  };
  QObject::connect(check, &QPushButton::clicked, &session.jobs, &Jobs::checkFootage);
  QObject::connect(leave_out, &QPushButton::clicked, body, [&session, marked] { session.model.run(leaveOutFrames(session.model.document(), marked())); });
  QObject::connect(use_all, &QPushButton::clicked, body, [&session] { session.model.run(useAllFrames(session.model.document())); });
  const auto refresh = [&session, said, leave_out, use_all, marked] {
    QStringList lines;
    for (const CheckedFrame& frame : session.jobs.checked()) {
      if (frame.fault != FrameFault::None) lines << QString::fromStdString(frame.sentence);
    }
    if (lines.size() > 6) lines = lines.mid(0, 5) << QObject::tr("… and %1 more, marked under the error map").arg(lines.size() - 5);
    said->setText(session.jobs.checked().empty() ? QString() : lines.isEmpty() ? QObject::tr("Every frame looks fine.") : lines.join("\n"));
    said->setVisible(!said->text().isEmpty());
    leave_out->setVisible(!marked().empty());
    use_all->setVisible(!session.model.document().footage.left_out.empty());
  };
  QObject::connect(&session.jobs, &Jobs::footageChecked, body, refresh);
  QObject::connect(&session.model, &DocumentModel::documentChanged, body, refresh);
  refresh();
  return body;
}

/// One setting of the tone.
template <class Value>
std::unique_ptr<Edit> changeTone(const char* name, const Document& document, Value Tone::*field, std::type_identity_t<Value> value) {
  Tone tone = document.footage.tone;
  tone.*field = value;
  return changeField(name, document, &Document::footage, &FootageSettings::tone, tone);
}

/// How the values are looked at, by the artist and by the tracker.
void addTone(Body& body, Session& session) {
  auto* curve = new ChoiceField(
      {QObject::tr("display"), QObject::tr("log"), QObject::tr("linear")}, session.model,
      [](const Document& d) { return static_cast<int>(d.footage.tone.curve); },
      [](const Document& d, int v) { return changeTone("Change curve", d, &Tone::curve, static_cast<ToneCurve>(v)); });
  auto* channel = new ChoiceField(
      {QObject::tr("luma"), QObject::tr("red"), QObject::tr("green"), QObject::tr("blue"), QObject::tr("best")}, session.model,
      [](const Document& d) { return static_cast<int>(d.footage.tone.channel); },
      [](const Document& d, int v) { return changeTone("Change channel", d, &Tone::channel, static_cast<Channel>(v)); });
  const auto number = [&session](const char* name, double Tone::*field) {
    return new NumberField(
        session.model, [field](const Document& d) { return d.footage.tone.*field; },
        [name, field](const Document& d, double v) { return changeTone(name, d, field, v); });
  };
  curve->setObjectName("toneCurve");
  channel->setObjectName("toneChannel");
  auto* exposure = number("Change exposure", &Tone::exposure_stops)->range(-10, 10, 1, 0.5, QObject::tr(" stops"));
  exposure->setObjectName("toneExposure");
  addField(*body.grid, QObject::tr("Transfer curve"), curve,
           QObject::tr("Display: made for a screen. Log: ten stops as cameras record them. Linear: proportional to the light. Seen and tracked that way."));
  addField(*body.grid, QObject::tr("Exposure"), exposure, QObject::tr("Brighter or darker by so many stops, seen and tracked."));
  addField(*body.grid, QObject::tr("Gamma"), number("Change gamma", &Tone::gamma)->range(0.2, 5, 2, 0.1, ""),
           QObject::tr("Over 1 lifts the darks, seen and tracked."));
  addField(*body.grid, QObject::tr("Channel"), channel,
           QObject::tr("What is seen and tracked. Best: the channel with most detail over its noise in the first frame."));
  auto* even = new SwitchField(
      QObject::tr("Even contrast for tracking"), session.model, [](const Document& d) { return d.footage.tone.even_contrast; },
      [](const Document& d, bool on) { return changeTone("Change contrast", d, &Tone::even_contrast, on); });
  even->setToolTip(QObject::tr("Brings brightness and contrast to one level all over the picture, for tracking only: features in deep shadow and in glare."));
  body.column->addWidget(even);
}

/// Frames a second and numbers, over what the file says.
void addNumbers(Body& body, Session& session) {
  auto* fps = new NumberField(
      session.model, [](const Document& d) { return d.footage.fps; },
      [](const Document& d, double v) { return changeField("Change frames a second", d, &Document::footage, &FootageSettings::fps, v); });
  fps->setSpecialValueText(QObject::tr("as the file"));
  fps->setObjectName("footageFps");
  addField(*body.grid, QObject::tr("Frames a second"), fps->range(0, 1000, 3, 1, ""),
           QObject::tr("Over what the file says; 0: the file's own. Changes playback and deliveries."));
  auto* offset = new NumberField(
      session.model, [](const Document& d) { return static_cast<double>(d.footage.frame_offset); },
      [](const Document& d, double v) { return changeFrameOffset(d, static_cast<int>(v)); });
  offset->setObjectName("frameOffset");
  addField(*body.grid, QObject::tr("Number offset"), offset->range(-1000000, 1000000, 0, 1, ""),
           QObject::tr("Added to the footage's frame numbers, to match an edit. Masks, keys and ranges move along."));
}

}  // namespace

QWidget* footageSettings(Session& session, QAction* open_footage) {
  Body body;
  const auto end = [&session](int FollowOptions::*field, bool first) {
    return new NumberField(
        session.model, [&session, first](const Document&) { return first ? session.model.firstFrame() : session.model.lastFrame(); },
        [&session, field](const Document& d, double v) {
          FollowOptions tracking = d.tracking;
          tracking.first_frame = session.model.firstFrame(), tracking.last_frame = session.model.lastFrame();
          tracking.*field = static_cast<int>(v);
          const FootageInfo& info = session.model.workspace().footage();
          if (tracking.first_frame == info.first && tracking.last_frame == info.last) tracking.first_frame = tracking.last_frame = 0;
          return setMember("Change range", &Document::tracking, tracking);
        });
  };
  auto* first = end(&FollowOptions::first_frame, true);
  auto* last = end(&FollowOptions::last_frame, false);
  first->setObjectName("firstFrame");
  last->setObjectName("lastFrame");
  const auto bounds = [&session, first, last] {
    const FootageInfo& info = session.model.workspace().footage();
    first->range(info.first, std::max(info.first, session.model.lastFrame() - 2), 0, 1, "");
    last->range(std::min(info.last, session.model.firstFrame() + 2), info.last, 0, 1, "");
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, first, bounds);
  addField(*body.grid, QObject::tr("First frame"), first, QObject::tr("Where the work begins; the footage's own numbers."));
  addField(*body.grid, QObject::tr("Last frame"), last, QObject::tr("Where the work ends, included."));
  auto* step = new NumberField(
      session.model, [](const Document& d) { return static_cast<double>(d.footage.step); },
      [](const Document& d, double v) { return changeField("Change frame step", d, &Document::footage, &FootageSettings::step, static_cast<int>(v)); });
  step->setObjectName("frameStep");
  addField(*body.grid, QObject::tr("Every n-th frame"), step->range(1, 1000, 0, 1, ""),
           QObject::tr("1: every frame. 3: every third, for walk-around video where neighbours show the same. The others get no camera."));
  addTone(body, session);
  addNumbers(body, session);
  addText(body, session, [&session] {
    const FootageInfo& info = session.model.workspace().footage();
    if (info.width == 0) return QString();
    QStringList notes;
    for (const std::string& warning : info.warnings) notes << QString::fromStdString(warning);
    const auto left_out = session.model.document().footage.left_out.size();
    if (left_out > 0) notes << QObject::tr("%1 frames are left out.").arg(left_out);
    if (info.focal_mm > 0) notes << QObject::tr("The file says %1 mm: a hint, true to about 5 %.").arg(info.focal_mm, 0, 'g', 4);
    return QObject::tr("%1\n%2%3")
        .arg(QString::fromStdString(std::filesystem::path(info.path).filename().string()), QString::fromStdString(info.kind),
             notes.isEmpty() ? QString() : "\n" + notes.join("\n"));
  });
  body.column->addWidget(checkSettings(session));
  auto* open = buttonFor(open_footage, QObject::tr("Open other footage…"), false);
  body.column->addWidget(open);
  return body.widget;
}

}  // namespace dusky::desktop
