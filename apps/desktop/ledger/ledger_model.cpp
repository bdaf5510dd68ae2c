#include "apps/desktop/ledger/ledger_model.h"

#include <QDateTime>
#include <QFont>
#include <QLocale>
#include <cmath>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/model/verdict_text.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

QString verdictWord(const std::string& verdict) {
  return verdict == "trust" ? wordOf(TrustLevel::Trust) : verdict == "check" ? wordOf(TrustLevel::Check) : wordOf(TrustLevel::Reject);
}

QString focalText(const RunSummary& s, double mm_per_px) {
  const QString value = QString::number(s.focal_px * mm_per_px, 'f', 2);
  if (s.zooms) return QObject::tr("zoom, %1 mm midway").arg(value);
  return std::isnan(s.sigma_focal_px) ? QObject::tr("%1 mm, fixed").arg(value)
                                      : QObject::tr("%1 ± %2 mm").arg(value, QString::number(s.sigma_focal_px * mm_per_px, 'f', 2));
}

}  // namespace

QString bytesText(std::int64_t bytes) { return QLocale(QLocale::English).formattedDataSize(bytes, 1, QLocale::DataSizeSIFormat); }

LedgerModel::LedgerModel(Session& session, QObject* parent) : QAbstractTableModel(parent), session_(session) {
  connect(&session_.model, &DocumentModel::opened, this, [this] { changes_.clear(); });
  connect(&session_.model, &DocumentModel::ledgerChanged, this, &LedgerModel::refresh);
  refresh();
}

QString LedgerModel::changesText(const Run& run) {
  const Workspace& workspace = session_.model.workspace();
  auto known = changes_.find(run.id);
  if (known == changes_.end()) {
    QStringList words;
    for (const std::string& change : workspace.changesOf(run)) words << QString::fromStdString(change);
    known = changes_.emplace(run.id, words.join(", ")).first;
  }
  const QString& what = known->second;
  if (run.parent == 0) return what.isEmpty() ? tr("the first") : what;
  const QString parent = QString::fromStdString(workspace.document().ledger.nameOf(run.parent));
  if (run.carried_on) return what.isEmpty() ? tr("refines %1").arg(parent) : tr("refines %1: %2").arg(parent, what);
  return what.isEmpty() ? tr("solved anew after %1").arg(parent) : tr("after %1: %2").arg(parent, what);
}

void LedgerModel::refresh() {
  beginResetModel();
  rows_.clear();
  bytes_ = 0;
  const Workspace& workspace = session_.model.workspace();
  const LedgerMarks& marks = workspace.document().ledger;
  const auto sizes = workspace.runBytes();
  const auto& runs = workspace.ledger().runs();
  for (auto run = runs.rbegin(); run != runs.rend(); ++run) {
    if (marks.isDropped(run->id)) continue;
    const RunSummary& s = run->summary;
    Row row{run->id, run->id == workspace.shownRun(), marks.isKept(run->id), QString::fromStdString(s.sentence), {}};
    row.cells[Name] = QString::fromStdString(marks.nameOf(run->id));
    row.cells[Changes] = changesText(*run);
    row.cells[Rms] = pxText(s.rms_px), row.cells[Holdout] = pxText(s.holdout_rms_px), row.cells[Slip] = pxText(s.likely_slip_px);
    row.cells[Verdict] = verdictWord(s.verdict);
    row.cells[Focal] = focalText(s, session_.model.document().lens.sensor_mm / std::max(1, workspace.footage().width));
    row.cells[Frames] = tr("%1 of %2").arg(s.placed).arg(s.frames);
    row.cells[Tracks] = tr("%1 of %2").arg(s.kept).arg(s.tracks);
    row.cells[Made] = QDateTime::fromString(QString::fromStdString(run->made), Qt::ISODate).toLocalTime().toString("d MMM  HH:mm");
    if (const auto size = sizes.find(run->id); size != sizes.end()) row.cells[Size] = bytesText(size->second), bytes_ += size->second;
    rows_.push_back(std::move(row));
  }
  endResetModel();
}

int LedgerModel::rowOf(int run) const {
  const auto found = std::find_if(rows_.begin(), rows_.end(), [run](const Row& row) { return row.run == run; });
  return found != rows_.end() ? static_cast<int>(found - rows_.begin()) : -1;
}

QVariant LedgerModel::data(const QModelIndex& index, int role) const {
  const Row& row = rows_[static_cast<std::size_t>(index.row())];
  const QString& cell = row.cells[static_cast<std::size_t>(index.column())];
  if (role == Qt::EditRole) return cell;
  if (role == Qt::DisplayRole && index.column() == Name)
    return tr("%1%2").arg(cell, row.shown && row.kept ? tr(" · shown, kept") : row.shown ? tr(" · shown") : row.kept ? tr(" · kept") : QString());
  if (role == Qt::DisplayRole) return cell;
  if (role == Qt::ToolTipRole) return index.column() == Changes ? cell : row.tip;
  if (role == Qt::TextAlignmentRole && (index.column() == Rms || index.column() == Holdout || index.column() == Slip || index.column() == Size))
    return QVariant(Qt::AlignRight | Qt::AlignVCenter);
  if (role == Qt::FontRole && row.shown) {
    QFont font;
    font.setBold(true);
    return font;
  }
  return {};
}

QVariant LedgerModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal) return {};
  static const std::array<const char*, Columns> kNames = {"Run",          "What was changed", "RMS, px", "Holdout, px", "Verdict", "Slip, px",
                                                          "Focal length", "Frames",           "Tracks",  "Made",        "Size"};
  static const std::array<const char*, Columns> kTips = {"Its name. Double-click to write one.",
                                                         "What was changed for it since the run before it.",
                                                         "Root mean square of the reprojection errors of kept tracks, px.",
                                                         "The same over the holdout tracks, which never take part, px.",
                                                         "What it is worth; its tooltip says why.",
                                                         "How far an insert is likely to slip, px.",
                                                         "With one standard deviation.",
                                                         "Frames with a camera.",
                                                         "Tracks that take part.",
                                                         "When it was solved.",
                                                         "What it takes in the project file."};
  if (role == Qt::DisplayRole) return tr(kNames[static_cast<std::size_t>(section)]);
  if (role == Qt::ToolTipRole) return tr(kTips[static_cast<std::size_t>(section)]);
  return {};
}

Qt::ItemFlags LedgerModel::flags(const QModelIndex& index) const {
  const Qt::ItemFlags usual = QAbstractTableModel::flags(index);
  return index.column() == Name ? usual | Qt::ItemIsEditable : usual;
}

bool LedgerModel::setData(const QModelIndex& index, const QVariant& value, int role) {
  if (role != Qt::EditRole || value == data(index, Qt::EditRole)) return false;
  // After the field has closed: the rows are made anew.
  QMetaObject::invokeMethod(
      this,
      [this, run = runAt(index.row()), name = value.toString().trimmed().toStdString()] { session_.model.run(nameRun(session_.model.document(), run, name)); },
      Qt::QueuedConnection);
  return true;
}

}  // namespace dusky::desktop
