#include "apps/desktop/model/unsaved.h"

#include <QDateTime>
#include <QFileInfo>
#include <QLocale>
#include <QStandardPaths>

namespace dusky::desktop {

std::filesystem::path unsavedFolder() { return (QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/dusky-moth/unsaved").toStdString(); }

QString nameOf(const UnsavedShot& shot) {
  const QFileInfo file(QString::fromStdString(shot.file.string()));
  return QStringLiteral("%1, %2").arg(QFileInfo(QString::fromStdString(shot.footage)).fileName(),
                                      QLocale::c().toString(file.lastModified(), "d MMM yyyy hh:mm"));
}

}  // namespace dusky::desktop
