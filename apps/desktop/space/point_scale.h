#pragma once
#include <QColor>
#include <QString>

#include "apps/desktop/model/session.h"

namespace dusky::desktop {

/// How points in Space are coloured by one of their measures: as the errors are, light for what is to be looked at first. Logarithmic from what three in a
/// hundred of the kept tracks have less of to what three in a hundred have more of.
class PointScale {
 public:
  /// Without a measure (pictures, errors) it has no text.
  PointScale(const Session& session, ViewSettings::PointColor by);

  /// Grey where it is not known of this track.
  QColor colorOf(int track) const;
  /// "depth: 1.2 m light to 34 m dark"; empty where nothing is known.
  const QString& text() const { return text_; }

 private:
  const Session& session_;
  ViewSettings::PointColor by_;
  double low_ = kUnknown, high_ = kUnknown;
  QString text_;
};

}  // namespace dusky::desktop
