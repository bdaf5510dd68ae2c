#include "apps/desktop/tracklist/track_list_model.h"

#include <algorithm>
#include <cmath>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/track_state.h"
#include "apps/desktop/paint/track_text.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

QString kindOf(const Track& track, const HandTrack* by_hand) {
  if (by_hand) return QObject::tr("by hand, %1").arg(words(describe(by_hand->kind)));
  if (track.kind == TrackKind::Imported) return QObject::tr("imported");
  return words(describe(track.size));
}
}  // namespace

TrackListModel::TrackListModel(Session& session, QObject* parent) : QAbstractTableModel(parent), session_(session) {
  connect(&session_.model, &DocumentModel::resultsChanged, this, &TrackListModel::refresh);
}

void TrackListModel::watch(bool watched) {
  watched_ = watched;
  refresh();
}

void TrackListModel::refresh() {
  if (!watched_) return;
  beginResetModel();
  rows_.clear();
  if (const TrackSetPtr tracks = session_.model.tracks()) {
    for (const Track& track : tracks->tracks) rows_.push_back(madeRow(track));
  }
  endResetModel();
}

TrackListModel::Row TrackListModel::madeRow(const Track& track) const {
  const SolutionPtr solution = session_.model.solution();
  const Document& document = session_.model.document();
  const HandTrack* by_hand = document.work.find(track.id);
  const TrackLabel* label = session_.model.workspace().labelOf(track.id);
  const SolvedTrack* solved = solution ? solution->find(track.id) : nullptr;
  const bool pinned = std::binary_search(document.picks.pinned.begin(), document.picks.pinned.end(), track.id);
  Row row{track.id, {}};
  row.cells[Name] = words(session_.model.workspace().nameOf(track.id));
  row.cells[Group] = label ? words(label->group) : QString();
  row.cells[Kind] = kindOf(track, by_hand);
  row.cells[Life] = track.life();
  row.cells[First] = track.firstFrame();
  row.cells[Last] = track.lastFrame();
  if (solved && !std::isnan(solved->typical_error_px)) row.cells[Typical] = solved->typical_error_px, row.cells[Worst] = solved->worst_error_px;
  row.cells[Weight] = weightOfTrack(document.picks.weights, track.id);
  const QString state = solved ? QString(glyphName(glyphNow(session_.model, track.id, solved))) : tr("not solved");
  row.cells[State] = pinned ? tr("%1, pinned").arg(state) : state;
  row.cells[Starts] = words(describe(track.start));
  row.cells[Ends] = words(describe(track.stop));
  return row;
}

int TrackListModel::rowOf(int track) const {
  const auto found = std::lower_bound(rows_.begin(), rows_.end(), track, [](const Row& row, int id) { return row.track < id; });
  return found != rows_.end() && found->track == track ? static_cast<int>(found - rows_.begin()) : -1;
}

QVariant TrackListModel::data(const QModelIndex& index, int role) const {
  const QVariant& cell = rows_[static_cast<std::size_t>(index.row())].cells[static_cast<std::size_t>(index.column())];
  const bool number = index.column() == Typical || index.column() == Worst;
  if (role == Qt::DisplayRole && index.column() == Weight) return QString::number(cell.toDouble(), 'g', 3);
  if (role == Qt::DisplayRole) return number && cell.isValid() ? QVariant(pxText(cell.toDouble())) : cell;
  if (role == Qt::UserRole || role == Qt::EditRole) return cell;
  if (role == Qt::TextAlignmentRole && index.column() == Weight) return QVariant(Qt::AlignCenter);
  if (role == Qt::TextAlignmentRole && index.column() >= Life && index.column() <= Worst) return QVariant(Qt::AlignRight | Qt::AlignVCenter);
  return {};
}

QVariant TrackListModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal) return {};
  static const std::array<const char*, Columns> kNames = {"Name",        "Group",     "Kind",   "Life, frames", "First",  "Last",
                                                          "Typical, px", "Worst, px", "Weight", "State",        "Begins", "Ends"};
  static const std::array<const char*, Columns> kTips = {"Its name, else its number. Double-click to write.",
                                                         "A word to find several by. Double-click to write.",
                                                         "Size of an automatic feature, or what a track by hand holds on to.",
                                                         "Frames in which it has a place.",
                                                         "First frame.",
                                                         "Last frame.",
                                                         "RMS error over its used frames, px.",
                                                         "Largest error, px.",
                                                         "How much it counts in the solve: 4 pulls as four tracks would. Double-click to write, 0.01 to 100.",
                                                         "What the solve made of it.",
                                                         "Why it does not begin earlier.",
                                                         "Why it does not go on."};
  if (role == Qt::DisplayRole) return tr(kNames[static_cast<std::size_t>(section)]);
  if (role == Qt::ToolTipRole) return tr(kTips[static_cast<std::size_t>(section)]);
  return {};
}

Qt::ItemFlags TrackListModel::flags(const QModelIndex& index) const {
  const Qt::ItemFlags usual = QAbstractTableModel::flags(index);
  return index.column() == Name || index.column() == Group || index.column() == Weight ? usual | Qt::ItemIsEditable : usual;
}

bool TrackListModel::setData(const QModelIndex& index, const QVariant& value, int role) {
  if (role != Qt::EditRole || value == data(index, Qt::EditRole)) return false;
  const int track = trackAt(index.row());
  if (index.column() == Weight) {
    bool number = false;
    const double weight = value.toDouble(&number);
    if (!number || !(weight >= kLeastTrackWeight && weight <= kMostTrackWeight)) {
      emit session_.model.problem(
          tr("A track's weight is %1 to %2. One that shall not count at all is set aside.").arg(kLeastTrackWeight).arg(kMostTrackWeight));
      return false;
    }
    session_.model.run(weighTracks(session_.model.document(), {track}, weight));
    return true;
  }
  const std::string text = value.toString().trimmed().toStdString();
  const std::string& key = session_.model.workspace().followedKey();
  session_.model.run(index.column() == Name ? nameTrack(session_.model.document(), track, text, key)
                                            : groupTracks(session_.model.document(), {track}, text, key));
  return true;
}

void TrackListFilter::setWords(const QString& text) {
  words_ = text.split(' ', Qt::SkipEmptyParts);
  invalidateFilter();
}

bool TrackListFilter::filterAcceptsRow(int row, const QModelIndex& parent) const {
  return std::all_of(words_.begin(), words_.end(), [&](const QString& word) {
    for (int column = 0; column < sourceModel()->columnCount(parent); ++column) {
      if (sourceModel()->index(row, column, parent).data(Qt::DisplayRole).toString().contains(word, Qt::CaseInsensitive)) return true;
    }
    return false;
  });
}

bool TrackListFilter::lessThan(const QModelIndex& left, const QModelIndex& right) const {
  const QVariant a = left.data(Qt::UserRole), b = right.data(Qt::UserRole);
  if (!a.isValid() || !b.isValid()) return !a.isValid() && b.isValid();
  bool number_a = false, number_b = false;
  const double value_a = a.toDouble(&number_a), value_b = b.toDouble(&number_b);
  return number_a && number_b ? value_a < value_b : a.toString().localeAwareCompare(b.toString()) < 0;
}
}  // namespace dusky::desktop
