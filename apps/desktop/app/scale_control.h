#pragma once
#include <QWidget>

#include "apps/desktop/model/view_settings.h"

namespace dusky::desktop {

/// The error scale: its colours from 0 to the top, and the top itself, shared by all views.
class ScaleControl : public QWidget {
  Q_OBJECT
 public:
  explicit ScaleControl(ViewSettings& view, QWidget* parent = nullptr);
};

}  // namespace dusky::desktop
