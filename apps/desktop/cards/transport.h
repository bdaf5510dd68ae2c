#pragma once
#include <QWidget>

#include "apps/desktop/model/session.h"

class QLabel;

namespace dusky::desktop {

/// Play, step and go to a frame; to the right what is known of the hovered or selected tracks.
class Transport : public QWidget {
  Q_OBJECT
 public:
  explicit Transport(Session& session, QWidget* parent = nullptr);

 private:
  void refreshCard();

  Session& session_;
  QLabel* card_;
};

}  // namespace dusky::desktop
