#pragma once
#include "apps/desktop/steps/fields.h"
#include "core/deliver/exporter.h"

namespace dusky::desktop {

struct Session;

/// Presets: the built-in ones and the artist's.
QWidget* presetField(Session& session);
/// Whether a file is delivered.
SwitchField* fileSwitch(Session& session, const Exporter& exporter);
/// The undistorted picture that cameras are delivered for.
QWidget* plateFields(Session& session);
/// How plates are written; there while they are wanted, as the next ones are.
QWidget* plateFormat(Session& session);
QWidget* splatFields(Session& session);
QWidget* meshFields(Session& session);
/// What the review movie and stills show.
QWidget* reviewFields(Session& session);
QWidget* stillFields(Session& session);
/// Units, time, names and keys of all files.
QWidget* worldFields(Session& session);

}  // namespace dusky::desktop
