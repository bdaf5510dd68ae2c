#pragma once
#include <QString>
#include <vector>

#include "core/pipeline/unsaved_shots.h"

namespace dusky::desktop {

/// Where shots without a project file are kept until they are saved or closed; see Workspace::keepUnsavedIn.
std::filesystem::path unsavedFolder();

/// "quay.0001.png, 29 Nov 2026 12:31".
QString nameOf(const UnsavedShot& shot);

}  // namespace dusky::desktop
