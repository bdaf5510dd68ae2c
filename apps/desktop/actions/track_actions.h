#pragma once
#include <QObject>

#include "apps/desktop/model/session.h"

class QAction;
class QMenu;
class QPushButton;

namespace dusky::desktop {

/// What can be done with the selected tracks: the same actions in the menu bar, in the views' menus and in the Scene step. Each is enabled
/// only when it would do something; its tooltip says what it needs.
class TrackActions : public QObject {
  Q_OBJECT
 public:
  explicit TrackActions(Session& session, QObject* parent = nullptr);

  QAction *ground, *origin, *direction, *length;
  QAction *flat, *level, *upright, *straight, *distance, *equal, *mirrored;  ///< What is known of the set.
  QAction *aside, *back, *pin, *unpin, *weigh;
  QAction *cone, *cube, *card, *floor, *figure, *remove_objects;
  QAction *select_all, *select_none, *select_others;
  QAction *next_worst, *worst_before;

  /// All of them, in groups.
  void fill(QMenu& menu) const;
  /// The metres that "Use as length" gives.
  double lengthMetres() const { return length_metres_; }
  void setLengthMetres(double metres);

 private:
  QAction* make(const QString& text, const QString& tip, void (TrackActions::*slot)());
  void refresh();
  std::vector<int> placed() const;  ///< Selected tracks that have a place.
  void useGround();
  void useOrigin();
  void useDirection();
  void useLength();
  void know(SetKind kind, SetFacing facing);
  void knowFlat() { know(SetKind::Plane, SetFacing::Free); }
  void knowLevel() { know(SetKind::Plane, SetFacing::Level); }
  void knowUpright() { know(SetKind::Plane, SetFacing::Upright); }
  void knowStraight() { know(SetKind::Line, SetFacing::Free); }
  void knowDistance();
  void knowEqual();
  void knowMirrored();
  void setSelectedAside();
  void bringSelectedBack();
  void pinSelected();
  void unpinSelected();
  void weighSelected();
  void placeAs(std::unique_ptr<Edit> placing);
  void place(ObjectShape shape);
  void placeCone() { place(ObjectShape::Cone); }
  void placeCube() { place(ObjectShape::Cube); }
  void placeCard() { placeFlat(ObjectShape::Card, 1); }
  void placeFloor() { placeFlat(ObjectShape::Floor, 4); }
  void placeFigure();
  /// On the plane of the selected tracks where they are three or more; `times` as large as usual.
  void placeFlat(ObjectShape shape, double times);
  void removeAllObjects();
  void selectAll();
  void selectNone();
  void selectOthers();
  /// The next kept track in the order of their worst errors, in the frame where it is.
  void stepWorst(int way);
  void selectNextWorst() { stepWorst(1); }
  void selectWorstBefore() { stepWorst(-1); }

  Session& session_;
  double length_metres_ = 1.0;
};

/// A push button that is one of the actions.
QPushButton* buttonFor(QAction* action, const QString& text, bool primary = false);

}  // namespace dusky::desktop
