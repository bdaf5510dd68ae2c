#include <QDesktopServices>
#include <QFileDialog>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QToolButton>
#include <QUrl>
#include <QVBoxLayout>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/step_settings.h"

namespace dusky::desktop {
namespace {

void setFolder(Session& session, const QString& folder) {
  session.model.run(changeField("Change delivery folder", session.model.document(), &Document::delivery, &DeliverySettings::folder, folder.toStdString()));
}

QWidget* folderField(Session& session) {
  auto* row = new QWidget;
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  auto* path = new QLineEdit;
  path->setObjectName("deliveryFolder");
  path->setToolTip(QObject::tr("Where the files go; the folder is made when it is missing."));
  auto* choose = new QToolButton;
  choose->setIcon(icon("folder"));
  choose->setToolTip(QObject::tr("Choose the folder…"));
  line->addWidget(path, 1);
  line->addWidget(choose);
  const auto refresh = [&session, path] {
    const QString now = session.model.hasFootage() ? QString::fromStdString(defaultDeliveryFolder(session.model.document()).string()) : QString();
    path->setText(now);
    path->setToolTip(QObject::tr("Where the files go; the folder is made when it is missing.\n%1").arg(now));
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, path, refresh);
  QObject::connect(path, &QLineEdit::editingFinished, path, [&session, path] {
    if (session.model.hasFootage() && path->text().toStdString() != defaultDeliveryFolder(session.model.document()).string()) setFolder(session, path->text());
  });
  QObject::connect(choose, &QToolButton::clicked, row, [&session, row, path] {
    const QString chosen = QFileDialog::getExistingDirectory(row, QObject::tr("Deliver into"), path->text());
    if (!chosen.isEmpty()) setFolder(session, chosen);
  });
  refresh();
  return row;
}

QWidget* fileSwitch(Session& session, const QString& text, const QString& tip, bool DeliverySettings::*field) {
  auto* box = new SwitchField(
      text, session.model, [field](const Document& d) { return d.delivery.*field; },
      [field](const Document& d, bool on) { return changeField("Change files to deliver", d, &Document::delivery, field, on); });
  box->setToolTip(tip);
  return box;
}

/// What the review movie shows; there while it is wanted.
QWidget* reviewFields(Session& session) {
  auto* body = new QWidget;
  auto* grid = new QGridLayout(body);
  grid->setContentsMargins(22, 0, 0, 0);
  grid->setVerticalSpacing(4);
  grid->addWidget(fileSwitch(session, QObject::tr("test objects"), QObject::tr("Test objects and their shadows."), &DeliverySettings::review_objects), 0, 0);
  grid->addWidget(fileSwitch(session, QObject::tr("ground grid"), QObject::tr("The ground through the lens."), &DeliverySettings::review_grid), 0, 1);
  grid->addWidget(fileSwitch(session, QObject::tr("points"), QObject::tr("Kept tracks where they were measured."), &DeliverySettings::review_points), 1, 0);
  grid->addWidget(fileSwitch(session, QObject::tr("whiskers"), QObject::tr("Errors, enlarged as said below, in the colours of the error map."),
                             &DeliverySettings::review_whiskers),
                  1, 1);
  auto* times = numberOf(session.model, "Change whiskers", &Document::delivery, &DeliverySettings::review_whisker);
  times->range(1, 1000, 0, 5, {});
  times->setPrefix(QObject::tr("errors ×"));
  times->setObjectName("reviewWhisker");
  times->setToolTip(QObject::tr("How many times errors are enlarged in the movie."));
  grid->addWidget(times, 2, 0, 1, 2);
  const auto refresh = [&session, body, times] {
    body->setVisible(session.model.document().delivery.review_mp4);
    times->setEnabled(session.model.document().delivery.review_whiskers);
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, body, refresh);
  refresh();
  return body;
}

QString sizeText(std::uintmax_t bytes) {
  const auto size = static_cast<double>(bytes);
  return size < 1e5 ? QObject::tr("%1 kB").arg(size / 1e3, 0, 'f', 1) : QObject::tr("%1 MB").arg(size / 1e6, 0, 'f', 1);
}

}  // namespace

QWidget* deliverSettings(Session& session) {
  auto* body = new QWidget;
  auto* column = new QVBoxLayout(body);
  column->setSpacing(6);
  column->addWidget(folderField(session));
  column->addWidget(fileSwitch(session, QObject::tr("camera.glb"), QObject::tr("Animated camera and points, glTF 2.0."), &DeliverySettings::camera_glb));
  column->addWidget(fileSwitch(session, QObject::tr("points.ply"), QObject::tr("Coloured points, binary PLY."), &DeliverySettings::points_ply));
  column->addWidget(fileSwitch(session, QObject::tr("camera.csv"), QObject::tr("Camera and lens by frame, as a table."), &DeliverySettings::camera_csv));
  column->addWidget(fileSwitch(session, QObject::tr("report.json"), QObject::tr("Everything, machine-readable."), &DeliverySettings::report_json));
  column->addWidget(
      fileSwitch(session, QObject::tr("object.glb"),
                 QObject::tr("The moving object before a camera that stands still, for shots in which only an object was tracked (masks: only inside)."),
                 &DeliverySettings::object_glb));
  auto* review = fileSwitch(session, QObject::tr("review.mp4"),
                            QObject::tr("A movie of the plate with what the camera says of it, its frame numbers and verdict burnt in (H.264)."),
                            &DeliverySettings::review_mp4);
  review->setObjectName("reviewMovie");
  column->addWidget(review);
  column->addWidget(reviewFields(session));
  auto* run = new QPushButton(QObject::tr("Deliver"));
  run->setObjectName("runDeliver");
  run->setProperty("primary", true);
  run->setToolTip(QObject::tr("Writes the chosen files. Each appears whole or not at all."));
  QObject::connect(run, &QPushButton::clicked, &session.jobs, &Jobs::deliver);
  column->addWidget(run);
  auto* list = new QListWidget;
  list->setObjectName("delivered");
  list->setToolTip(QObject::tr("What was written."));
  list->setSelectionMode(QAbstractItemView::NoSelection);
  list->setFocusPolicy(Qt::NoFocus);
  auto* open = new QPushButton(QObject::tr("Show the folder"));
  open->setToolTip(QObject::tr("Opens the folder in the desktop's file manager."));
  QObject::connect(open, &QPushButton::clicked, open, [&session] { QDesktopServices::openUrl(QUrl::fromLocalFile(session.jobs.deliveredTo())); });
  column->addWidget(list);
  column->addWidget(open);
  const auto refresh = [&session, list, open, run] {
    run->setEnabled(session.model.solution() && !session.model.partial());
    list->clear();
    for (const DeliveredFile& file : session.jobs.delivered()) {
      auto* item = new QListWidgetItem(QObject::tr("%1  ·  %2").arg(QString::fromStdString(file.path.filename().string()), sizeText(file.bytes)));
      item->setToolTip(QString::fromStdString(file.what + "\n" + file.path.string()));
      list->addItem(item);
    }
    list->setVisible(list->count() > 0);
    list->setFixedHeight(list->count() * list->sizeHintForRow(0) + 10);
    open->setVisible(list->count() > 0);
  };
  QObject::connect(&session.jobs, &Jobs::changed, list, refresh);
  QObject::connect(&session.jobs, &Jobs::finished, list, refresh);
  QObject::connect(&session.model, &DocumentModel::resultsChanged, list, refresh);
  refresh();
  return body;
}

}  // namespace dusky::desktop
