#include <QFileDialog>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/step_settings.h"

namespace dusky::desktop {
namespace {

MatteSettings mattesOf(const Document& document) { return document.masks.mattes; }

std::unique_ptr<Edit> changeMattes(const char* name, const Document& document, MatteSettings mattes) {
  return changeField(name, document, &Document::masks, &MaskSettings::mattes, std::move(mattes));
}

NumberField* matteField(Session& session, const char* name, double MatteSettings::*field) {
  return new NumberField(
      session.model, [field](const Document& d) { return d.masks.mattes.*field; },
      [name, field](const Document& d, double v) {
        MatteSettings mattes = mattesOf(d);
        mattes.*field = v;
        return changeMattes(name, d, mattes);
      });
}

std::unique_ptr<Edit> changeAlpha(const char* name, const Document& document, const std::function<void(AlphaSettings&)>& how) {
  AlphaSettings alpha = document.masks.alpha;
  how(alpha);
  return changeField(name, document, &Document::masks, &MaskSettings::alpha, alpha);
}

NumberField* alphaField(Session& session, const char* name, double AlphaSettings::*field) {
  return new NumberField(
      session.model, [field](const Document& d) { return d.masks.alpha.*field; },
      [name, field](const Document& d, double v) { return changeAlpha(name, d, [&](AlphaSettings& alpha) { alpha.*field = v; }); });
}

SwitchField* alphaSwitch(Session& session, const QString& text, const char* name, bool AlphaSettings::*field) {
  return new SwitchField(
      text, session.model, [field](const Document& d) { return d.masks.alpha.*field; },
      [name, field](const Document& d, bool on) { return changeAlpha(name, d, [&](AlphaSettings& alpha) { alpha.*field = on; }); });
}

/// The footage's own alpha; shown only where it has one.
QWidget* alphaSettings(Session& session) {
  auto* body = new QWidget;
  body->setObjectName("alphaSettings");
  auto* column = new QVBoxLayout(body);
  column->setContentsMargins(0, 0, 0, 0);
  auto* used = alphaSwitch(session, QObject::tr("Leave out what is transparent"), "Use alpha", &AlphaSettings::used);
  used->setObjectName("useAlpha");
  used->setToolTip(QObject::tr("The footage has an alpha channel: nothing is tracked where it is transparent."));
  auto* more = new QWidget;
  auto* grid = new QGridLayout(more);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setHorizontalSpacing(8);
  grid->setColumnStretch(0, 1);
  addField(*grid, QObject::tr("Threshold"), alphaField(session, "Change alpha threshold", &AlphaSettings::threshold)->range(0, 1, 2, 0.05, ""),
           QObject::tr("Under this opacity a pixel counts as transparent, 0 to 1."));
  addField(*grid, QObject::tr("Expand"), alphaField(session, "Grow alpha", &AlphaSettings::grow_px)->range(-500, 500, 0, 1, " px"),
           QObject::tr("How far what is left out reaches beyond the transparent part, px; under 0 it shrinks."));
  auto* inverted = alphaSwitch(session, QObject::tr("Leave out what is opaque instead"), "Invert alpha", &AlphaSettings::inverted);
  inverted->setToolTip(QObject::tr("Only the transparent part is tracked."));
  grid->addWidget(inverted, grid->rowCount(), 0, 1, 2);
  column->addWidget(used);
  column->addWidget(more);
  const auto refresh = [&session, body, more] {
    body->setVisible(session.model.workspace().footage().has_alpha);
    more->setVisible(session.model.document().masks.alpha.used);
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, body, refresh);
  QObject::connect(&session.model, &DocumentModel::opened, body, refresh);
  refresh();
  return body;
}

void chooseFolder(Session& session, QWidget* parent) {
  const QString folder = QFileDialog::getExistingDirectory(parent, QObject::tr("Folder of matte pictures, one a frame"),
                                                           QString::fromStdString(session.model.document().masks.mattes.folder));
  if (!folder.isEmpty()) useMattes(session, folder);
}
}  // namespace

void useMattes(Session& session, const QString& folder) {
  MatteSettings mattes = mattesOf(session.model.document());
  mattes.folder = folder.toStdString();
  session.model.run(changeMattes(folder.isEmpty() ? "Use no mattes" : "Use mattes", session.model.document(), std::move(mattes)));
}

QWidget* maskSettings(Session& session) {
  auto* body = new QWidget;
  auto* column = new QVBoxLayout(body);
  column->setSpacing(8);
  auto* rule = quietLabel(QObject::tr("A matte belongs to the frame of the same number. What is light in it is left out: nothing is tracked there."));
  auto* choose = new QPushButton(QObject::tr("Use a folder of mattes…"));
  choose->setObjectName("chooseMattes");
  choose->setToolTip(QObject::tr("Pictures as large as the footage, one a frame, such as a key or a rotoscoped person."));
  auto* folder = quietLabel("");
  folder->setObjectName("matteFolder");
  auto* grid = new QGridLayout;
  grid->setHorizontalSpacing(8);
  grid->setColumnStretch(0, 1);
  addField(*grid, QObject::tr("Threshold"), matteField(session, "Change matte threshold", &MatteSettings::threshold)->range(0, 1, 2, 0.05, ""),
           QObject::tr("Share of white from which on a pixel of the matte counts as light, 0 to 1."));
  addField(*grid, QObject::tr("Expand"), matteField(session, "Grow mattes", &MatteSettings::grow_px)->range(-500, 500, 0, 1, " px"),
           QObject::tr("How far what is left out reaches beyond the matte, px; under 0 it shrinks."));
  auto* inverted = new SwitchField(
      QObject::tr("Leave out what is dark instead"), session.model, [](const Document& d) { return d.masks.mattes.inverted; },
      [](const Document& d, bool on) {
        MatteSettings mattes = mattesOf(d);
        mattes.inverted = on;
        return changeMattes("Invert mattes", d, mattes);
      });
  inverted->setToolTip(QObject::tr("Only what the mattes show is tracked: the camera around a moving object."));
  auto* shown = new QCheckBox(QObject::tr("Show what is left out (M)"));
  shown->setObjectName("showMasks");
  shown->setToolTip(QObject::tr("Dims and hatches on the Plate what the masks leave out."));
  QObject::connect(shown, &QCheckBox::toggled, &session.view, &ViewSettings::showMasks);
  QObject::connect(&session.view, &ViewSettings::changed, shown, [&session, shown] { shown->setChecked(session.view.masksShown()); });
  shown->setChecked(session.view.masksShown());
  auto* remove = new QPushButton(QObject::tr("Use no mattes"));
  remove->setObjectName("removeMattes");
  remove->setToolTip(QObject::tr("The pictures stay where they are; they are only no longer looked at."));
  auto* settings = new QWidget;
  auto* inner = new QVBoxLayout(settings);
  inner->setContentsMargins(0, 0, 0, 0);
  inner->addWidget(folder);
  inner->addLayout(grid);
  inner->addWidget(inverted);
  inner->addWidget(remove);
  column->addWidget(shapeSettings(session));
  auto* title = new QLabel(QObject::tr("Mattes"));
  title->setProperty("role", "title");
  column->addWidget(title);
  column->addWidget(rule);
  column->addWidget(choose);
  column->addWidget(settings);
  column->addWidget(alphaSettings(session));
  column->addWidget(shown);
  QObject::connect(choose, &QPushButton::clicked, body, [&session, body] { chooseFolder(session, body); });
  QObject::connect(remove, &QPushButton::clicked, body, [&session] { useMattes(session, {}); });
  const auto refresh = [&session, settings, folder, choose] {
    const QString path = QString::fromStdString(session.model.document().masks.mattes.folder);
    settings->setVisible(!path.isEmpty());
    folder->setText(path.section('/', -1));
    folder->setToolTip(path);
    choose->setEnabled(session.model.hasFootage());
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, settings, refresh);
  QObject::connect(&session.model, &DocumentModel::opened, settings, refresh);
  refresh();
  return body;
}
}  // namespace dusky::desktop
