#pragma once
#include "apps/desktop/model/advisor.h"
#include "apps/desktop/model/candidates.h"
#include "apps/desktop/model/dense_store.h"
#include "apps/desktop/model/document_model.h"
#include "apps/desktop/model/edited_set.h"
#include "apps/desktop/model/frame_store.h"
#include "apps/desktop/model/jobs.h"
#include "apps/desktop/model/mesh_store.h"
#include "apps/desktop/model/playback.h"
#include "apps/desktop/model/prune_preview.h"
#include "apps/desktop/model/scene_mover.h"
#include "apps/desktop/model/selection.h"
#include "apps/desktop/model/test_objects.h"
#include "apps/desktop/model/view_settings.h"

namespace dusky::desktop {

/// What all views share. Made once by the main window; views keep a reference.
struct Session {
  DocumentModel model;
  HandTrack hand_defaults;  ///< Kind and sizes of the next track by hand.
  Jobs jobs{model, hand_defaults};
  Selection selection;
  TestObjects objects{model};
  SceneMover mover{model, selection};
  EditedSet edited_set;
  MeshStore mesh{model};
  DenseStore dense{model, jobs};
  Playback playback;
  ViewSettings view;
  FrameStore frames;
  Candidates candidates;
  TrackFacts facts{model};
  PrunePreview prune{model, facts};
  Advisor advisor{model, facts, jobs};

  /// The mask that is chosen, and the track by hand that is selected alone; nullptr: none.
  const Mask* chosenMask() const {
    const auto& shapes = model.document().masks.shapes;
    const auto found = std::find_if(shapes.begin(), shapes.end(), [this](const Mask& mask) { return mask.id == view.chosenMask(); });
    return found != shapes.end() ? &*found : nullptr;
  }
  const HandTrack* chosenHand() const { return selection.ids().size() == 1 ? model.document().work.find(selection.ids().front()) : nullptr; }
};

}  // namespace dusky::desktop
