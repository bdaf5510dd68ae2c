#pragma once
#include <filesystem>
#include <memory>

#include "core/dense/dense.h"
#include "core/dense/fuse.h"

namespace dusky {

// What dense points are made of and what came of them, as files of a cache; see docs/formats.md. Read on the same kind of machine; they can always be made
// again.

/// Errors: CannotWrite.
Status writeFusedView(const std::filesystem::path& path, const FusedView& view);
/// Errors: Unreadable: there is none, or it is damaged.
Result<FusedViewPtr> readFusedView(const std::filesystem::path& path);

Status writeDenseResult(const std::filesystem::path& path, const DenseResult& result);
Result<DenseResultPtr> readDenseResult(const std::filesystem::path& path);
/// The same without its points; how many there are goes into `points`.
Result<DenseResult> readDenseSummary(const std::filesystem::path& path, std::size_t& points);

}  // namespace dusky
