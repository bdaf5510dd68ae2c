#pragma once
#include <QStringList>

#include "apps/desktop/model/session.h"

namespace dusky::desktop {

/// What the core says of something, as text of the window.
inline QString words(std::string_view text) { return QString::fromUtf8(text.data(), static_cast<qsizetype>(text.size())); }

/// A length of the scene: in the chosen unit where it has metres, else "1.24 units".
QString sceneLengthText(const SceneFrame& scene, double length, int digits);

/// "3 tracks selected · 87.3° at track 12"; of two how far they are apart.
QString selectionText(const Session& session);

/// One line about a track: "track 417 · life 88 frames · typical 0.93 px · worst 4.6 px at 98 · parallax 6.2°". Empty where there is no such track.
QString trackText(const DocumentModel& model, int id);

/// What is known of a track, a line each: its life and why it begins and ends; its errors; its depth with one standard deviation; what its errors follow.
QStringList trackCard(const Session& session, int id);

}  // namespace dusky::desktop
