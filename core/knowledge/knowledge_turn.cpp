#include "core/knowledge/knowledge_turn.h"

namespace dusky {

void turnNumbers(KnowledgeFile& file, const Eigen::Quaterniond& turn) {
  for (KnowledgeFile::Set& one : file.sets) one.set.axis = turn * one.set.axis;
  for (KnowledgeFile::Survey& one : file.survey) {
    one.point.at = turn * one.point.at;
    one.point.sigma = (turn * one.point.sigma).cwiseAbs();
  }
  for (KnownCamera& camera : file.camera) {
    camera.at = turn * camera.at;
    camera.rotation = (turn * camera.rotation).normalized();
  }
  if (file.move) file.move->shift = turn * file.move->shift, file.move->turn_deg = turn * file.move->turn_deg;
}

}  // namespace dusky
