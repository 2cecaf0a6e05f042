// Processors kept for other drums and sessions: a button whose menu lists what was saved, puts it
// to use and saves what is there now.
#pragma once

#include "core/session/session.h"

#include <QToolButton>

#include <functional>

namespace ember::app {

class PresetButton : public QToolButton {
    Q_OBJECT
  public:
    struct Use {
        QString folder;  // its own shelf: a processor's type, or "chain"
        std::function<std::vector<Stage>()> taken;
        // May throw Error; then nothing is changed.
        std::function<void(std::vector<Stage>)> given;
    };
    PresetButton(const QString& text, Use use, QWidget* parent = nullptr);
    // Where presets of this shelf lie; made when the first is saved.
    [[nodiscard]] QString shelf() const;
    // Puts a file to use, or says why not.
    void load(const QString& file);
    // Saves under a name; an old one of that name is replaced.
    void save(const QString& name);

  signals:
    void refused(const QString& sentence);

  private:
    void fill();
    void askToSave();
    void askToLoad();

    Use use_;
};

}  // namespace ember::app
