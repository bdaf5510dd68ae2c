#pragma once
#include <QAbstractTableModel>
#include <map>
#include <vector>

#include "apps/desktop/model/session.h"

namespace dusky::desktop {

/// The runs of the shot as a table, newest first.
class LedgerModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  enum Column { Name, Changes, Rms, Holdout, Verdict, Slip, Focal, Frames, Tracks, Made, Size, Columns };

  explicit LedgerModel(Session& session, QObject* parent = nullptr);

  int rowCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : static_cast<int>(rows_.size()); }
  int columnCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : Columns; }
  QVariant data(const QModelIndex& index, int role) const override;
  QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  Qt::ItemFlags flags(const QModelIndex& index) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;

  int runAt(int row) const { return rows_[static_cast<std::size_t>(row)].run; }
  /// -1: it is not listed.
  int rowOf(int run) const;
  /// What all runs take in the file, bytes.
  std::int64_t bytes() const { return bytes_; }
  void refresh();

 private:
  struct Row {
    int run = 0;
    bool shown = false, kept = false;
    QString tip;
    std::array<QString, Columns> cells;
  };
  Session& session_;
  QString changesText(const Run& run);
  std::vector<Row> rows_;
  std::map<int, QString> changes_;  ///< What was changed for each run: it never changes again.
  std::int64_t bytes_ = 0;
};

/// "1.2 MB".
QString bytesText(std::int64_t bytes);

}  // namespace dusky::desktop
