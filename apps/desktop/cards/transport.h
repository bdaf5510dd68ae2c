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

/// One line about tracks: "track 417 · life 88 frames · typical 0.93 px · worst 4.6 px at 98 · parallax 6.2°".
QString trackText(const DocumentModel& model, int id);

}  // namespace dusky::desktop
