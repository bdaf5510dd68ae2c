#pragma once
#include <QObject>
#include <algorithm>

namespace dusky::desktop {

/// How things are shown, the same in all views. Not part of the document: nothing here changes a result.
class ViewSettings : public QObject {
  Q_OBJECT
 public:
  /// What colours the points in Space.
  enum class PointColor { Picture, Error, Depth, Parallax, DepthSigma };
  enum class Tool {
    Box,
    Lasso,
    MaskEllipse,
    MaskBox,
    MaskCurve,
    MaskEdit,
    Hand,
    Region,
    PruneRegion,
    Edge,
    MeshPick,
    DenseCut,
    DenseKeep,
    DenseRegion,
    DenseMeasure
  };
  /// How the mesh of the set is drawn.
  enum class MeshStyle { Lines, HiddenLines, Solid };
  /// With what dense points are cut.
  enum class CutShape { Lasso, Box, Brush };
  /// What Space shows of the dense points.
  enum class DenseShown { Points, Mesh, Nothing };
  using QObject::QObject;

  double errorTop() const { return error_top_px_; }  ///< Error at the bright end of the scale, px.
  double whisker() const { return whisker_; }        ///< How many times a whisker is drawn enlarged.
  /// From 0, the picture alone, to 100, the marks on a dark picture.
  int marks() const { return marks_; }
  /// How far the picture is darkened, 0 to 1.
  double darkening() const { return 0.85 * std::max(0, marks_ - 40) / 60; }
  /// How much of what has no error worth looking at is seen, 1: as usual.
  double calmShown() const { return marks_ / 50.0; }
  bool tracksShown() const { return tracks_; }
  bool asideShown() const { return aside_; }
  bool masksShown() const { return masks_; }
  bool gridShown() const { return grid_; }
  bool setsShown() const { return sets_; }
  bool meshShown() const { return mesh_; }  ///< That of the set.
  MeshStyle meshStyle() const { return mesh_style_; }
  DenseShown denseShown() const { return dense_; }
  bool goingDenseShown() const { return dense_going_; }  ///< What the clean-up rules take out, glowing.
  CutShape cutShape() const { return cut_shape_; }
  double brushRadius() const { return brush_px_; }  ///< px of the view, 3 to 300.
  bool depthShown() const { return depth_; }        ///< A keyframe's depths over the Plate.
  bool objectsShown() const { return objects_; }
  bool handlesShown() const { return handles_; }        ///< Those that move the scene.
  bool pathsShown() const { return paths_; }            ///< Where tracks were just before and will be just after.
  bool fieldShown() const { return field_; }            ///< Mean errors over the picture; see ResidualField.
  bool differenceShown() const { return difference_; }  ///< The error map shows how much larger errors are than in the run compared with.
  bool ellipsoidsShown() const { return ellipsoids_; }  ///< How sure the places of selected points are, in Space.
  PointColor pointColor() const { return point_color_; }
  bool straight() const { return straight_; }           ///< The Plate without the lens's distortion.
  bool candidatesShown() const { return candidates_; }  ///< Features of the frame that tracking would begin with.
  int chosenMask() const { return chosen_mask_; }       ///< 0: none.
  int regionFrames() const { return region_frames_; }   ///< "Add tracks here" reaches so many frames each way; 0: all.
  Tool tool() const { return tool_; }

 public slots:
  void setErrorTop(double px) {
    if (px == error_top_px_) return;
    set(error_top_px_, px);
    emit errorTopChanged();
  }
  void setWhisker(double times) { set(whisker_, times); }
  void setMarks(int share) { set(marks_, share); }
  void showTracks(bool on) { set(tracks_, on); }
  void showAside(bool on) { set(aside_, on); }
  void showMasks(bool on) { set(masks_, on); }
  void showGrid(bool on) { set(grid_, on); }
  void showSets(bool on) { set(sets_, on); }
  void showMesh(bool on) { set(mesh_, on); }
  void setMeshStyle(MeshStyle style) { set(mesh_style_, style); }
  void showDense(DenseShown what) { set(dense_, what); }
  void showGoingDense(bool on) { set(dense_going_, on); }
  void setCutShape(CutShape shape) { set(cut_shape_, shape); }
  void setBrushRadius(double px) { set(brush_px_, std::clamp(px, 3.0, 300.0)); }
  void showDepth(bool on) { set(depth_, on); }
  void showObjects(bool on) { set(objects_, on); }
  void showHandles(bool on) { set(handles_, on); }
  void showPaths(bool on) { set(paths_, on); }
  void showField(bool on) { set(field_, on); }
  void showDifference(bool on) { set(difference_, on); }
  void showEllipsoids(bool on) { set(ellipsoids_, on); }
  void setPointColor(PointColor color) { set(point_color_, color); }
  void nextPointColor() {
    constexpr int kColors = static_cast<int>(PointColor::DepthSigma) + 1;
    setPointColor(static_cast<PointColor>((static_cast<int>(point_color_) + 1) % kColors));
  }
  void showCandidates(bool on) { set(candidates_, on); }
  void chooseMask(int id) { set(chosen_mask_, id); }
  void setRegionFrames(int frames) { set(region_frames_, frames); }
  /// What is drawn by hand is drawn on the footage as it is.
  void setTool(Tool tool) {
    if (draws(tool)) straight_ = false;
    set(tool_, tool);
  }
  void showStraight(bool on) {
    if (on && draws(tool_)) tool_ = Tool::Box;
    set(straight_, on);
  }

 signals:
  void changed();
  void errorTopChanged();  ///< Besides changed(): for views that colour thousands of cells.

 private:
  template <class T>
  void set(T& member, T value) {
    if (member == value) return;
    member = value;
    emit changed();
  }

  /// Whether a tool puts things on the footage.
  static bool draws(Tool tool) {
    return tool != Tool::Box && tool != Tool::Lasso && tool != Tool::Edge && tool != Tool::MeshPick && tool != Tool::DenseCut && tool != Tool::DenseKeep &&
           tool != Tool::DenseMeasure;
  }

  double error_top_px_ = 1.0, whisker_ = 10.0;
  int marks_ = 50;
  DenseShown dense_ = DenseShown::Points;
  CutShape cut_shape_ = CutShape::Lasso;
  double brush_px_ = 24;
  bool dense_going_ = true, depth_ = false;
  bool tracks_ = true, masks_ = true, sets_ = true, aside_ = false, grid_ = false, handles_ = false, mesh_ = true, objects_ = true, paths_ = false,
       field_ = false, candidates_ = false, straight_ = false, ellipsoids_ = true, difference_ = false;
  int chosen_mask_ = 0, region_frames_ = 12;
  PointColor point_color_ = PointColor::Picture;
  Tool tool_ = Tool::Box;
  MeshStyle mesh_style_ = MeshStyle::HiddenLines;
};

}  // namespace dusky::desktop
