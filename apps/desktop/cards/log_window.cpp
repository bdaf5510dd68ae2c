#include "apps/desktop/cards/log_window.h"

#include <QClipboard>
#include <QDialogButtonBox>
#include <QFile>
#include <QFontDatabase>
#include <QGuiApplication>
#include <QLabel>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QScrollBar>
#include <QVBoxLayout>

#include "core/base/log.h"

namespace dusky::desktop {

LogWindow::LogWindow(QWidget* parent) : QDialog(parent), text_(new QPlainTextEdit) {
  setObjectName("log");
  setWindowTitle(tr("Log"));
  resize(860, 480);
  text_->setReadOnly(true);
  text_->setLineWrapMode(QPlainTextEdit::NoWrap);
  text_->setFont(QFontDatabase::systemFont(QFontDatabase::FixedFont));
  const QString path = QString::fromStdString(logFile().string());
  auto* where = new QLabel(path.isEmpty() ? tr("No log is written: its file could not be opened.") : tr("%1   (older lines: the files beside it)").arg(path));
  where->setProperty("role", "quiet");
  where->setTextInteractionFlags(Qt::TextSelectableByMouse);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
  QPushButton* copy = buttons->addButton(tr("Copy"), QDialogButtonBox::ActionRole);
  copy->setToolTip(tr("Copies the lines shown, to send with a question."));
  QPushButton* again = buttons->addButton(tr("Read again"), QDialogButtonBox::ActionRole);
  connect(copy, &QPushButton::clicked, this, [this] { QGuiApplication::clipboard()->setText(text_->toPlainText()); });
  connect(again, &QPushButton::clicked, this, &LogWindow::refresh);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::close);
  auto* column = new QVBoxLayout(this);
  column->addWidget(where);
  column->addWidget(text_, 1);
  column->addWidget(buttons);
  refresh();
}

void LogWindow::refresh() {
  constexpr qint64 kShown = 200000;
  const std::filesystem::path path = logFile();
  QFile file(QString::fromStdString(path.string()));
  if (path.empty() || !file.open(QIODevice::ReadOnly)) return;
  if (file.size() > kShown) {
    file.seek(file.size() - kShown);
    file.readLine();
  }
  text_->setPlainText(QString::fromUtf8(file.readAll()));
  text_->verticalScrollBar()->setValue(text_->verticalScrollBar()->maximum());
}

}  // namespace dusky::desktop
