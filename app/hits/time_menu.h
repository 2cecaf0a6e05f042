// The song's time by menu: tempi, metres and bar 1 as a person tells them, as a MIDI file has them,
// or as the strokes say; and how far each drum plays ahead or behind.
#pragma once

#include "app/workers/listener.h"
#include "app/workers/player.h"
#include "app/workers/workspace.h"

#include <QMenu>

namespace ember::app {

class TimeMenu : public QMenu {
    Q_OBJECT
  public:
    TimeMenu(Workspace& workspace, Player& player, Listener& listener, QWidget* parent = nullptr);
    // Takes tempi and metres from a file, bar 1 at second 0. Says what it did, or why not, through
    // said().
    void takeMidi(const QString& path);
    // A tempo for every bar, after the strokes.
    void follow();

  signals:
    void said(const QString& sentence, bool problem);

  private:
    void fill();
    void addTold();
    void addMetres(const QString& title, const QString& name, int bar, bool whole);
    void addMeasured();
    void askTempo(int bar, bool whole);
    void use(TimeMap time);

    Workspace& workspace_;
    Player& player_;
    Listener& listener_;
};

}  // namespace ember::app
