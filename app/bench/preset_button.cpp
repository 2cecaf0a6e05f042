#include "app/bench/preset_button.h"

#include "core/base/error.h"
#include "core/session/file.h"

#include <QDir>
#include <QFileDialog>
#include <QInputDialog>
#include <QMenu>
#include <QMessageBox>
#include <QStandardPaths>

namespace ember::app {

PresetButton::PresetButton(const QString& text, Use use, QWidget* parent)
    : QToolButton(parent), use_(std::move(use)) {
    setText(text);
    setPopupMode(QToolButton::InstantPopup);
    setMenu(new QMenu(this));
    connect(menu(), &QMenu::aboutToShow, this, &PresetButton::fill);
}

QString PresetButton::shelf() const {
    return QStandardPaths::writableLocation(QStandardPaths::AppConfigLocation) + "/presets/" +
           use_.folder;
}

void PresetButton::fill() {
    menu()->clear();
    for (const QFileInfo& info : QDir(shelf()).entryInfoList({"*.json"}, QDir::Files, QDir::Name)) {
        QAction* action = menu()->addAction(info.completeBaseName());
        connect(action, &QAction::triggered, this,
                [this, file = info.absoluteFilePath()] { load(file); });
    }
    if (menu()->isEmpty()) menu()->addAction(tr("nothing saved yet"))->setEnabled(false);
    menu()->addSeparator();
    connect(menu()->addAction(tr("Save as …")), &QAction::triggered, this,
            &PresetButton::askToSave);
    connect(menu()->addAction(tr("Load from a file …")), &QAction::triggered, this,
            &PresetButton::askToLoad);
}

void PresetButton::load(const QString& file) {
    try {
        use_.given(loadChain(file.toStdString()));
    } catch (const Error& e) {
        emit refused(QString::fromUtf8(e.what()));
    }
}

void PresetButton::save(const QString& name) {
    try {
        QDir().mkpath(shelf());
        saveChain((shelf() + "/" + name + ".json").toStdString(), use_.taken());
    } catch (const Error& e) {
        emit refused(QString::fromUtf8(e.what()));
    }
}

void PresetButton::askToSave() {
    const QString name =
        QInputDialog::getText(this, tr("Save as"), tr("Name")).trimmed().replace('/', '-');
    if (name.isEmpty() || name.startsWith('.')) return;
    if (QFile::exists(shelf() + "/" + name + ".json") &&
        QMessageBox::question(this, tr("Save as"), tr("Replace “%1”?").arg(name)) !=
            QMessageBox::Yes)
        return;
    save(name);
}

void PresetButton::askToLoad() {
    const QString file =
        QFileDialog::getOpenFileName(this, tr("Load"), shelf(), tr("Ember Cask presets (*.json)"));
    if (!file.isEmpty()) load(file);
}

}  // namespace ember::app
