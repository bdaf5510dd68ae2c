#pragma once
#include <QImage>
#include <QObject>
#include <QString>

#include "apps/desktop/model/document_model.h"
#include "apps/desktop/model/jobs.h"
#include "apps/desktop/model/newest_only.h"

namespace dusky::desktop {

/// A dense point as it is drawn, in the scene.
struct DenseVertex {
  float x, y, z;
  std::uint8_t r, g, b, a;
};

/// The dense points that views show: those of the solve that is shown, read and cleaned up on a thread of their own whenever rules, scene or solve change;
/// while they are being made, what is there so far. Interface thread only.
class DenseStore : public QObject {
  Q_OBJECT
 public:
  DenseStore(DocumentModel& model, Jobs& jobs, QObject* parent = nullptr);

  /// In such an order that any number of the first are spread over all of them.
  struct Points {
    DenseResultPtr dense;            ///< nullptr: on their way.
    std::vector<DenseVertex> kept;   ///< Cleaned up, and thinned to the spacing.
    std::vector<DenseVertex> going;  ///< What the rules take out.
    std::array<std::size_t, kCleanReasons> counts = {};
    QString problem;  ///< Why nothing is left; empty: nothing went wrong.
  };
  using PointsPtr = std::shared_ptr<const Points>;
  /// nullptr: there are none.
  const PointsPtr& points() const { return points_; }
  bool reading() const { return reading_; }

  /// The surface that was made last; nullptr: none of this solve.
  const std::shared_ptr<const Surface>& surface() const { return surface_; }
  /// Whether it was made from the points as they are cleaned up now.
  bool surfaceIsCurrent() const;

  /// What making them will take; no keyframes where that is not known.
  const DenseForecast& forecast() const { return forecast_; }
  QString forecastProblem() const { return forecast_problem_; }

  /// Places of dense points that were picked to be measured, scene coordinates; forgotten with the solve.
  std::vector<Vec3> picked() const;
  void pick(const Vec3& place);
  void forgetPicked();

  /// The depths of a keyframe, in colours, over the footage's picture; a null picture where it is none, or on its way.
  QImage depthPicture(int frame);
  /// Keyframes that have depth maps, ascending.
  std::vector<int> keyframes() const;
  /// Those that depth is made for: the artist's, else as they were made, else as forecast; ascending.
  std::vector<int> plannedKeyframes() const;
  /// Makes a frame one of them, or none; nothing where fewer than three would be left.
  void toggleKeyframe(int frame);
  void moveKeyframe(int from, int to);

  /// Whether the step is open: keyframes are shown in the error map then.
  bool watched() const { return watched_; }
  void watch(bool on);

 signals:
  void changed();
  void depthReady();
  void pickedChanged();

 private:
  struct Question {
    std::filesystem::path folder;
    DenseSettings settings;
    Similarity scene_from_solve;
    DenseResultPtr dense;  ///< There already; nullptr: it is to be read.
  };
  struct DepthQuestion {
    std::filesystem::path folder;
    int frame = 0;
    SolutionPtr solution;
  };
  /// Dense points that are there: read, or just made.
  struct Loaded {
    SolutionPtr solution;
    std::filesystem::path folder;
    DenseResultPtr dense;
  };
  void look();
  void lookAhead();
  void showNothing();
  void answer(const Question& question, std::stop_token dropped);
  void answerDepth(const DepthQuestion& question, std::stop_token dropped);
  void answerForecast(const DenseJob& job, std::stop_token dropped);
  void send(PointsPtr points, std::stop_token dropped);
  void addPart(const FusedViewPtr& view);
  void setKeyframes(const char* name, std::vector<int> frames);

  DocumentModel& model_;
  PointsPtr points_;
  std::vector<Vec3> picked_;      ///< In the solve's own world: the scene may be placed anew.
  std::shared_ptr<Points> part_;  ///< While they are being made.
  std::shared_ptr<const Surface> surface_;
  DenseSettings surface_settings_;
  Similarity surface_scene_;
  std::filesystem::path surface_folder_;
  std::optional<Question> asked_;
  Loaded loaded_;
  struct Forecast {
    SolutionPtr solution;
    DenseQuality quality = DenseQuality::Good;
    std::vector<int> keyframes;
    bool operator==(const Forecast&) const = default;
  };
  Forecast forecast_of_;
  bool watched_ = false;
  DenseForecast forecast_;
  QString forecast_problem_;
  bool reading_ = false;
  int depth_frame_ = -1;
  std::filesystem::path depth_folder_;
  QImage depth_;
  NewestOnly<Question> reader_;  ///< These last: their threads use the others.
  NewestOnly<DepthQuestion> depth_reader_;
  NewestOnly<DenseJob> forecaster_;
};

}  // namespace dusky::desktop
