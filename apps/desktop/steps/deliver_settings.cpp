#include <QDesktopServices>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPixmap>
#include <QPushButton>
#include <QToolButton>
#include <QUrl>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/steps/deliver_fields.h"
#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/step_settings.h"
#include "core/deliver/exporter.h"

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
  path->setMinimumWidth(40);
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

/// What reading everything back found.
QString receiptText(const Receipt& receipt) {
  const auto passed = std::count_if(receipt.checks.begin(), receipt.checks.end(), [](const ReceiptCheck& check) { return check.passed; });
  QString text = QObject::tr("Receipt: %1 of %2 checks passed").arg(passed).arg(receipt.checks.size());
  if (!std::isnan(receipt.drift_rms_px)) text += QObject::tr(" · drift %1 px").arg(receipt.drift_rms_px, 0, 'f', 2);
  for (const ReceiptCheck& check : receipt.checks) {
    if (!check.passed) text += QString("\n%1: %2").arg(QString::fromStdString(check.file), QString::fromStdString(check.sentence));
  }
  for (const std::string& note : receipt.notes) text += "\n" + QString::fromStdString(note);
  return text;
}

/// Points through the delivered camera, as wide as the steps are.
class ReceiptPicture : public QLabel {
 public:
  ReceiptPicture() {
    setObjectName("receiptPicture");
    setMinimumWidth(1);
    setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  }
  void show(const Picture& picture, int frame) {
    whole_ = picture.empty()
                 ? QPixmap()
                 : QPixmap::fromImage(QImage(&picture.data.front().r, picture.width, picture.height, 3 * picture.width, QImage::Format_RGB888).copy());
    setToolTip(
        QObject::tr("Frame %1, undistorted, with the points where the delivered camera sees them: the brighter, the farther from their tracks.").arg(frame));
    setVisible(!whole_.isNull());
    fit();
  }

 protected:
  void resizeEvent(QResizeEvent* event) override {
    QLabel::resizeEvent(event);
    fit();
  }

 private:
  void fit() {
    if (whole_.isNull() || width() < 2) return;
    const QPixmap shown = whole_.scaledToWidth(width(), Qt::SmoothTransformation);
    setFixedHeight(shown.height());
    setPixmap(shown);
  }
  QPixmap whole_;
};

QString sizeText(std::uintmax_t bytes) {
  const auto size = static_cast<double>(bytes);
  return size < 1e5 ? QObject::tr("%1 kB").arg(size / 1e3, 0, 'f', 1) : QObject::tr("%1 MB").arg(size / 1e6, 0, 'f', 1);
}

}  // namespace

QWidget* deliverSettings(Session& session) {
  auto* body = new QWidget;
  auto* column = new QVBoxLayout(body);
  column->setSpacing(6);
  column->addWidget(presetField(session));
  column->addWidget(folderField(session));
  std::string_view group;
  for (const Exporter& exporter : exporters()) {
    if (exporter.group != group) column->addWidget(quietLabel(QString::fromUtf8(exporter.group.data(), static_cast<qsizetype>(exporter.group.size()))));
    group = exporter.group;
    column->addWidget(fileSwitch(session, exporter));
    if (exporter.name == "plates") column->addWidget(plateFormat(session)), column->addWidget(plateFields(session));
    if (exporter.name == "mesh.usda") column->addWidget(meshFields(session));
    if (exporter.name == "splat-set") column->addWidget(splatFields(session));
    if (exporter.name == "review") column->addWidget(reviewFields(session));
    if (exporter.name == "stills") column->addWidget(stillFields(session));
  }
  column->addWidget(worldFields(session));
  auto* run = new QPushButton(QObject::tr("Deliver"));
  run->setObjectName("runDeliver");
  run->setProperty("primary", true);
  run->setToolTip(QObject::tr("Writes what is chosen, reads it back and checks it. All of it appears at once, or nothing does."));
  QObject::connect(run, &QPushButton::clicked, &session.jobs, &Jobs::deliver);
  column->addWidget(run);
  auto* list = new QListWidget;
  list->setObjectName("delivered");
  list->setToolTip(QObject::tr("What was written."));
  list->setSelectionMode(QAbstractItemView::NoSelection);
  list->setFocusPolicy(Qt::NoFocus);
  auto* receipt = quietLabel({});
  receipt->setObjectName("receipt");
  receipt->setToolTip(QObject::tr("Everything was read back from disk and held against solve and tracks."));
  auto* page = new QPushButton(QObject::tr("Open the receipt"));
  page->setToolTip(QObject::tr("All checks as a page, in the desktop's browser."));
  page->setObjectName("openReceipt");
  QObject::connect(page, &QPushButton::clicked, page, [&session] {
    for (const DeliveredFile& file : session.jobs.delivered().files) {
      if (file.path.filename() == kReceiptPage) QDesktopServices::openUrl(QUrl::fromLocalFile(QString::fromStdString(file.path.string())));
    }
  });
  auto* picture = new ReceiptPicture;
  column->addWidget(receipt);
  column->addWidget(picture);
  auto* open = new QPushButton(QObject::tr("Show the folder"));
  open->setToolTip(QObject::tr("Opens the folder in the desktop's file manager."));
  QObject::connect(open, &QPushButton::clicked, open, [&session] { QDesktopServices::openUrl(QUrl::fromLocalFile(session.jobs.deliveredTo())); });
  column->addWidget(list);
  column->addWidget(page);
  column->addWidget(open);
  const auto refresh = [&session, list, open, run, receipt, page, picture] {
    run->setEnabled(session.model.solution() && !session.model.partial());
    list->clear();
    for (const DeliveredFile& file : session.jobs.delivered().files) {
      auto* item = new QListWidgetItem(QObject::tr("%1  ·  %2").arg(QString::fromStdString(file.path.filename().string()), sizeText(file.bytes)));
      item->setToolTip(QString::fromStdString(file.what + "\n" + file.path.string()));
      list->addItem(item);
    }
    list->setVisible(list->count() > 0);
    list->setFixedHeight(list->count() * list->sizeHintForRow(0) + 10);
    open->setVisible(list->count() > 0);
    const auto& found = session.jobs.delivered().receipt;
    receipt->setVisible(found.has_value());
    page->setVisible(found.has_value());
    if (found) receipt->setText(receiptText(*found));
    picture->show(found ? found->picture : Picture(), found ? found->picture_frame : 0);
  };
  QObject::connect(&session.jobs, &Jobs::changed, list, refresh);
  QObject::connect(&session.jobs, &Jobs::finished, list, refresh);
  QObject::connect(&session.model, &DocumentModel::resultsChanged, list, refresh);
  refresh();
  return body;
}

}  // namespace dusky::desktop
