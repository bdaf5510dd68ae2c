#pragma once
#include <QAbstractTableModel>
#include <QSortFilterProxyModel>

#include "apps/desktop/model/session.h"

namespace dusky::desktop {

/// All tracks as rows of a table.
class TrackListModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  enum Column { Name, Group, Kind, Life, First, Last, Typical, Worst, Weight, State, Starts, Ends, Columns };
  explicit TrackListModel(Session& session, QObject* parent = nullptr);

  int rowCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : static_cast<int>(rows_.size()); }
  int columnCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : Columns; }
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  /// Name, group and weight can be written.
  Qt::ItemFlags flags(const QModelIndex& index) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;

  /// Whether anybody looks: rows are made only then.
  void watch(bool watched);

  int trackAt(int row) const { return rows_[static_cast<std::size_t>(row)].track; }
  int rowOf(int track) const;

 private:
  struct Row {
    int track = 0;
    std::array<QVariant, Columns> cells;  ///< Numbers as numbers, so that they sort as such.
  };
  void refresh();
  Row madeRow(const Track& track) const;

  Session& session_;
  std::vector<Row> rows_;
  bool watched_ = false;
};

/// Keeps the rows that hold every word of a text, in any column.
class TrackListFilter : public QSortFilterProxyModel {
  Q_OBJECT
 public:
  using QSortFilterProxyModel::QSortFilterProxyModel;
  void setWords(const QString& text);

 protected:
  bool filterAcceptsRow(int row, const QModelIndex& parent) const override;
  bool lessThan(const QModelIndex& left, const QModelIndex& right) const override;

 private:
  QStringList words_;
};
}  // namespace dusky::desktop
