// What can be done with the notes of a programmed part as a whole.
#pragma once

#include "app/workers/workspace.h"

#include <QMenu>

namespace ember::app {

class PatternMenu : public QMenu {
    Q_OBJECT
  public:
    explicit PatternMenu(Workspace& workspace, QWidget* parent = nullptr);
    // The notes of a MIDI file as the pattern, or beside it; the song's time stays.
    void take(const QString& path, bool beside);
    void write(const QString& path);
    void humanise(double timingMs, double velocity);
    void correct(double limitMs, double share);

  signals:
    void said(const QString& sentence, bool problem);

  private:
    void fill();
    void askHumanise();
    void askCorrect();

    Workspace& workspace_;
};

}  // namespace ember::app
