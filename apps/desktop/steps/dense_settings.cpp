#include <QComboBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLocale>
#include <QPushButton>
#include <QSignalBlocker>
#include <algorithm>
#include <cmath>

#include "apps/desktop/paint/track_text.h"
#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/settings_body.h"
#include "core/dense/measure.h"

namespace dusky::desktop {
namespace {

QString sizeText(double bytes) {
  return bytes < 1e9 ? QObject::tr("%1 MB").arg(std::ceil(bytes / 1e6), 0, 'f', 0) : QObject::tr("%1 GB").arg(bytes / 1e9, 0, 'f', 1);
}

QString timeText(double seconds) {
  return seconds < 90 ? QObject::tr("%1 s").arg(std::max(1.0, std::round(seconds)), 0, 'f', 0) : QObject::tr("%1 min").arg(seconds / 60, 0, 'f', 0);
}

QString forecastText(const Session& session) {
  if (!session.model.solution()) return QObject::tr("There is no solved camera yet.");
  if (!session.dense.forecastProblem().isEmpty()) return session.dense.forecastProblem();
  const DenseForecast& f = session.dense.forecast();
  if (f.keyframes == 0) return QObject::tr("Looking for keyframes …");
  const bool own = !session.model.document().dense.keyframes.empty();
  return QObject::tr("%1 keyframes%2 of %3 × %4 px: about %5, %6 of memory, %7 on the disk.")
      .arg(f.keyframes)
      .arg(own ? QObject::tr(" of your choice") : QString())
      .arg(f.width)
      .arg(f.height)
      .arg(std::isnan(f.seconds) ? QObject::tr("a while") : timeText(f.seconds), sizeText(static_cast<double>(f.memory)),
           sizeText(static_cast<double>(f.disk)));
}

QString resultText(const Session& session) {
  const auto& points = session.dense.points();
  if (!points) return session.dense.reading() ? QObject::tr("Reading the dense points …") : QString();
  if (!points->problem.isEmpty()) return points->problem;
  const QLocale locale;
  if (!points->dense) return QObject::tr("%1 points so far").arg(locale.toString(static_cast<qlonglong>(points->kept.size())));
  QStringList lines;
  const auto kept = points->kept.size(), all = points->dense->cloud.points.size();
  lines << (kept == all ? QObject::tr("%1 points.").arg(locale.toString(static_cast<qlonglong>(all)))
                        : QObject::tr("%1 of %2 points.").arg(locale.toString(static_cast<qlonglong>(kept)), locale.toString(static_cast<qlonglong>(all))));
  if (const DenseFrame* worst = leastAgreed(*points->dense))
    lines << QObject::tr("Least agreed on: frame %1, %2 % of what it shows.").arg(worst->frame).arg(100 * worst->agreeing_share, 0, 'f', 0);
  if (const DenseFrame* off = farthestOff(*points->dense))
    lines << QObject::tr("Camera off most in frame %1: by %2 px, as the pictures say.").arg(off->frame).arg(off->off_px, 0, 'f', 2);
  for (const std::string& warning : points->dense->warnings) lines << QString::fromStdString(warning);
  return lines.join('\n');
}

QString surfaceText(const Session& session) {
  const auto& surface = session.dense.surface();
  if (!surface) return {};
  const QLocale locale;
  QString text = QObject::tr("%1 triangles of %2.")
                     .arg(locale.toString(static_cast<qlonglong>(surface->mesh.triangles.size())), locale.toString(static_cast<qlonglong>(surface->full)));
  if (!session.dense.surfaceIsCurrent()) text += QObject::tr(" Clean-up or scene changed since.");
  return text;
}

QLabel* textOf(Body& body, Session& session, const char* name, QString (*text)(const Session&)) {
  auto* label = quietLabel({});
  label->setObjectName(name);
  body.column->addWidget(label);
  const auto refresh = [&session, label, text] {
    label->setText(text(session));
    label->setVisible(!label->text().isEmpty());
  };
  QObject::connect(&session.dense, &DenseStore::changed, label, refresh);
  QObject::connect(&session.model, &DocumentModel::documentChanged, label, refresh);
  QObject::connect(&session.model, &DocumentModel::resultsChanged, label, refresh);
  refresh();
  return label;
}

void addQuality(Body& body, Session& session) {
  auto* quality = new ChoiceField(
      {QObject::tr("draft: a quarter"), QObject::tr("good: half"), QObject::tr("fine: all of it")}, session.model,
      [](const Document& d) { return static_cast<int>(d.dense.quality); },
      [](const Document& d, int index) {
        return changeField("Change quality of dense points", d, &Document::dense, &DenseSettings::quality, static_cast<DenseQuality>(index));
      });
  quality->setObjectName("denseQuality");
  addField(*body.grid, QObject::tr("Quality"), quality,
           QObject::tr("How large the pictures are that depth is made from, of the footage's size. What was made at another quality stays."));
  auto* spacing = numberOf(session.model, "Change spacing of dense points", &Document::dense, &DenseSettings::spacing)->range(0, 1e4, 3, 0.01, QString());
  spacing->setObjectName("denseSpacing");
  spacing->setSpecialValueText(QObject::tr("all points"));
  addField(*body.grid, QObject::tr("Spacing"), spacing, QObject::tr("At most one point in a cell of this size, the surest: scene units."));
}

/// Which frames depth is made for: chosen by the program, or by the artist from there on.
void addKeyframes(Body& body, Session& session) {
  auto* row = new QWidget;
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  auto* toggle = smallButton(
      {}, QObject::tr("Depth is made for this frame, or no longer. From then on the keyframes are yours; they stand below the error map."), "toggleKeyframe");
  auto* automatic =
      smallButton(QObject::tr("Choose anew"),
                  QObject::tr("The program chooses the keyframes again: evenly along the camera's path, where the picture is sharp."), "automaticKeyframes");
  line->addWidget(toggle);
  line->addWidget(automatic);
  body.column->addWidget(row);
  QObject::connect(toggle, &QPushButton::clicked, row, [&session] { session.dense.toggleKeyframe(session.playback.frame()); });
  QObject::connect(automatic, &QPushButton::clicked, row, [&session] {
    DenseSettings settings = session.model.document().dense;
    settings.keyframes.clear();
    session.model.set("Choose keyframes anew", &Document::dense, settings);
  });
  const auto refresh = [&session, toggle, automatic] {
    const int frame = session.playback.frame();
    const std::vector<int> frames = session.dense.plannedKeyframes();
    const bool there = std::binary_search(frames.begin(), frames.end(), frame);
    const SolvedFrame* solved = session.model.solution() ? session.model.solution()->frameAt(frame) : nullptr;
    toggle->setText(there ? QObject::tr("Leave out frame %1").arg(frame) : QObject::tr("Add frame %1").arg(frame));
    toggle->setEnabled(!frames.empty() && (there ? frames.size() > 3 : solved && solved->placed));
    automatic->setEnabled(!session.model.document().dense.keyframes.empty());
  };
  QObject::connect(&session.dense, &DenseStore::changed, row, refresh);
  QObject::connect(&session.model, &DocumentModel::documentChanged, row, refresh);
  QObject::connect(&session.model, &DocumentModel::resultsChanged, row, refresh);
  QObject::connect(&session.playback, &Playback::frameChanged, row, refresh);
  refresh();
}

void addShown(Body& body, Session& session) {
  auto* shown = new QComboBox;
  shown->setObjectName("denseShown");
  shown->addItems({QObject::tr("points"), QObject::tr("mesh"), QObject::tr("nothing")});
  addField(*body.grid, QObject::tr("Space shows"), shown, QObject::tr("What of the dense points is shown in Space."));
  QObject::connect(shown, &QComboBox::currentIndexChanged, &session.view,
                   [&session](int i) { session.view.showDense(static_cast<ViewSettings::DenseShown>(i)); });
  auto* depths = new QCheckBox(QObject::tr("Depth maps on the Plate"));
  depths->setObjectName("showDepths");
  depths->setToolTip(QObject::tr("In keyframes: how deep each pixel lies, near is light."));
  QObject::connect(depths, &QCheckBox::toggled, &session.view, &ViewSettings::showDepth);
  const auto refresh = [&session, shown, depths] {
    const QSignalBlocker a(shown), b(depths);
    shown->setCurrentIndex(static_cast<int>(session.view.denseShown()));
    depths->setChecked(session.view.depthShown());
  };
  QObject::connect(&session.view, &ViewSettings::changed, shown, refresh);
  refresh();
  body.column->addWidget(depths);
}

QString measuredText(const Session& session) {
  const std::vector<Vec3> picked = session.dense.picked();
  if (picked.empty() || !session.model.scene()) return {};
  const SceneFrame& scene = *session.model.scene();
  const auto number = [](double v) { return QString::number(v, 'f', 3); };
  QStringList lines;
  constexpr std::size_t kMostTold = 6;
  for (std::size_t k = picked.size() > kMostTold ? picked.size() - kMostTold : 0; k < picked.size(); ++k)
    lines << QObject::tr("%1: %2, %3, %4").arg(k + 1).arg(number(picked[k].x()), number(picked[k].y()), number(picked[k].z()));
  const PlacesMeasured m = measured(picked);
  if (!m.lengths.empty()) lines << QObject::tr("%1 to %2: %3").arg(m.lengths.size()).arg(m.lengths.size() + 1).arg(sceneLengthText(scene, m.lengths.back(), 4));
  if (m.plane && picked.size() > 3)
    lines << QObject::tr("Plane of all: within %1 (RMS), %2° to the ground.").arg(sceneLengthText(scene, m.plane_rms, 2)).arg(m.tilt_deg, 0, 'f', 1);
  if (m.plane && picked.size() == 3) lines << QObject::tr("Their plane: %1° to the ground.").arg(m.tilt_deg, 0, 'f', 1);
  return lines.join('\n');
}

void addMeasuring(Body& body, Session& session) {
  auto* row = new QWidget;
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  auto* measure =
      smallButton(QObject::tr("Measure"),
                  QObject::tr("Click dense points in Space: where they lie in the scene, how far apart, and the plane of three or more. Backspace ends it."),
                  "measureDense");
  auto* forget = smallButton(QObject::tr("Forget"), QObject::tr("Forgets the places that were clicked."), "forgetMeasured");
  measure->setCheckable(true);
  line->addWidget(measure);
  line->addWidget(forget);
  body.column->addWidget(row);
  auto* text = quietLabel(QString());
  text->setObjectName("measuredText");
  text->setTextInteractionFlags(Qt::TextSelectableByMouse);
  body.column->addWidget(text);
  using Tool = ViewSettings::Tool;
  QObject::connect(measure, &QPushButton::clicked, row, [&session](bool on) { session.view.setTool(on ? Tool::DenseMeasure : Tool::Box); });
  QObject::connect(&session.view, &ViewSettings::changed, row, [&session, measure] { measure->setChecked(session.view.tool() == Tool::DenseMeasure); });
  QObject::connect(forget, &QPushButton::clicked, row, [&session] {
    session.dense.forgetPicked();
    session.view.setTool(Tool::Box);
  });
  const auto refresh = [&session, measure, forget, text] {
    measure->setEnabled(session.dense.points() && session.dense.points()->dense);
    forget->setEnabled(!session.dense.picked().empty());
    text->setText(measuredText(session));
    text->setVisible(!text->text().isEmpty());
  };
  QObject::connect(&session.dense, &DenseStore::changed, row, refresh);
  QObject::connect(&session.dense, &DenseStore::pickedChanged, row, refresh);
  QObject::connect(&session.model, &DocumentModel::sceneChanged, row, refresh);
  refresh();
}

void addMesh(Body& body, Session& session) {
  auto* row = new QWidget;
  auto* grid = new QGridLayout(row);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setColumnStretch(0, 1);
  auto* triangles = numberOf(session.model, "Change triangles of the mesh", &Document::dense, &DenseSettings::triangles)->range(100, 1e8, 0, 10000, QString());
  triangles->setObjectName("denseTriangles");
  triangles->setGroupSeparatorShown(true);
  addField(*grid, QObject::tr("Triangles"), triangles, QObject::tr("Of the mesh at most: edges that show least go first."));
  auto* make =
      smallButton(QObject::tr("Make the mesh"),
                  QObject::tr("The surface of the dense points as they are cleaned up, with their colours; open where there are none."), "makeSurface");
  auto* use = smallButton(QObject::tr("Use in the scene"),
                          QObject::tr("Written beside the project, as the mesh of the set (step Scene): drawn on the Plate, and tracks can be picked on it."),
                          "useSurface");
  grid->addWidget(make, grid->rowCount(), 0, 1, 2);
  grid->addWidget(use, grid->rowCount(), 0, 1, 2);
  body.column->addWidget(row);
  textOf(body, session, "surfaceText", surfaceText);
  QObject::connect(make, &QPushButton::clicked, row, [&session] {
    if (const auto& points = session.dense.points()) session.jobs.makeSurface(points->dense);
  });
  QObject::connect(use, &QPushButton::clicked, row, [&session] { session.jobs.useSurfaceAsMesh(session.dense.surface()); });
  QObject::connect(&session.jobs, &Jobs::surfaceMade, row, [&session] { session.view.showDense(ViewSettings::DenseShown::Mesh); });
  QObject::connect(&session.jobs, &Jobs::meshWritten, &session.mesh, &MeshStore::readAgain);
  const auto refresh = [&session, make, use] {
    make->setEnabled(session.dense.points() && session.dense.points()->dense);
    use->setEnabled(session.dense.surface() != nullptr);
  };
  QObject::connect(&session.dense, &DenseStore::changed, row, refresh);
  refresh();
}

}  // namespace

QWidget* denseSettings(Session& session) {
  Body body;
  addQuality(body, session);
  addShown(body, session);
  textOf(body, session, "denseForecast", forecastText);
  addKeyframes(body, session);
  auto* run =
      primary(QObject::tr("Make dense points"),
              QObject::tr("A depth map of each keyframe, fused where they agree. What was made stays beside the project: stopped, it goes on from there."));
  run->setObjectName("makeDense");
  QObject::connect(run, &QPushButton::clicked, &session.jobs, &Jobs::makeDense);
  const auto refresh = [&session, run] { run->setEnabled(session.model.solution() && !session.model.partial()); };
  QObject::connect(&session.model, &DocumentModel::resultsChanged, run, refresh);
  refresh();
  body.column->addWidget(run);
  textOf(body, session, "denseResult", resultText);
  addMeasuring(body, session);
  body.column->addWidget(quietLabel(QObject::tr("Clean up")));
  body.column->addWidget(cleanRows(session));
  body.column->addWidget(quietLabel(QObject::tr("Mesh")));
  addMesh(body, session);
  return body.widget;
}

}  // namespace dusky::desktop
