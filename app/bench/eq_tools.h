// What an equaliser's bench offers beside its bands: the sweep, the cut it ends in, and the match
// to another row.
#pragma once

#include "app/bench/stage_editor.h"
#include "core/advise/eq_fit.h"
#include "core/dsp/equaliser.h"

#include <QToolButton>

#include <atomic>
#include <utility>

namespace ember::app {

using EqFields = std::vector<std::pair<EqField, double>>;

// A bell that is on.
EqFields eqBell(double frequency, double gainDb, double q);
// The session with fields of one band set, kept within their ranges; the stage counts as decided.
Session withEqBand(Session session, const std::string& row, const std::string& stage, int band,
                   const EqFields& fields);

class EqTools : public QWidget {
    Q_OBJECT
  public:
    EqTools(Bench bench, std::string row, std::string stage, QWidget* parent);
    ~EqTools() override;
    // The band that is chosen now, and what the drum's strokes (or the whole row) sound like.
    void follow(int band, const Spectrum& spectrum);

  signals:
    // Another band has work to do; `hold`: it wants to be dragged.
    void bandTaken(int band, bool hold);

  private:
    // The chosen band as a narrow boost to drag over the spectrum; false gives the band back.
    void sweep(bool on);
    void cutHere();
    void fillMatch();
    void matchTo(const std::string& row);
    void matched();
    [[nodiscard]] const Stage* stage() const;

    Bench bench_;
    std::string row_, stage_;
    int band_ = 0;
    Spectrum spectrum_;
    QPushButton *sweep_ = nullptr, *cut_ = nullptr;
    QToolButton* match_ = nullptr;
    int sweeping_ = -1;  // the band that sweeps
    EqFields swept_;     // as it was before
    struct Match {
        std::vector<BandFit> bands;
        QString failure;
    };
    Errand<Match> matching_;
    std::atomic<bool> abandon_{false};
};

}  // namespace ember::app
