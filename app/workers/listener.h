// Listens to the kit in the background: strokes, bleed, phase, tone; and keeps what is proposed
// from it.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/workspace.h"
#include "core/advise/bleed.h"
#include "core/advise/bus.h"
#include "core/advise/proposal.h"
#include "core/measure/kit/spots.h"
#include "core/report/mic_report.h"

#include <QObject>
#include <QThreadPool>
#include <QTimer>

#include <atomic>
#include <map>
#include <memory>
#include <optional>

namespace ember::app {

// Window's thread only; the work runs on a thread of its own that steps back behind the sound.
// The session with what was heard where it has no strokes of its own; as it is where nothing was.
Session struckAs(Session session, const std::shared_ptr<const KitMeasurement>& heard);

class Listener : public QObject {
    Q_OBJECT
  public:
    explicit Listener(Workspace& workspace, QObject* parent = nullptr);
    ~Listener() override;

    // What was measured of the open session; null until it is known.
    [[nodiscard]] std::shared_ptr<const KitMeasurement> measured() const { return measured_; }
    // struckAs() by what is known now.
    [[nodiscard]] Session withStrokesHeard(Session session) const {
        return struckAs(std::move(session), measured_);
    }
    [[nodiscard]] bool listening() const { return running_.isRunning(); }
    // Why there is no measurement, in a sentence; empty when there is nothing to say.
    [[nodiscard]] QString problem() const { return problem_; }
    // Stops; start() begins anew.
    void cancel();
    void start();

    // The proposal for a row's stage that is neither declined nor overtaken; null when there is
    // none.
    [[nodiscard]] const Proposal* proposalFor(const std::string& row,
                                              const std::string& stage) const;
    // The same by the step of the work: the first that is not accepted yet, else the first.
    [[nodiscard]] const Proposal* proposalOf(const std::string& row, const std::string& step) const;
    // Whether its moves are what the session already has.
    [[nodiscard]] bool accepted(const Proposal& proposal) const;
    void accept(Proposal proposal);
    void decline(const Proposal& proposal);
    // Everything proposed of this step (empty: of every step) that is neither accepted nor
    // declined, as one edit.
    [[nodiscard]] std::vector<const Proposal*> open(const std::string& step = {}) const;
    void acceptAll(const std::string& step = {});
    // The same for those that `wanted` picks.
    void acceptAll(const std::function<bool(const Proposal&)>& wanted);

    // Listens to the mix as it plays now, for what is proposed for its buses: it comes to the other
    // proposals when it is known. Nothing happens before the kit is known.
    void listenToBuses();
    [[nodiscard]] bool listeningToBuses() const { return buses_.running.isRunning(); }
    // The same for bleed: the kit is taken apart first, where it is not yet.
    void listenToBleed();
    [[nodiscard]] bool listeningToBleed() const { return bleed_.running.isRunning(); }
    // What the mix would miss without this microphone, as it was when bleed was listened to; null
    // before.
    [[nodiscard]] const MicWorth* worthOf(const std::string& row) const;

    // A row's chain for another row, fitted to its note and strokes as far as they are known.
    void copyChain(const std::string& from, const std::string& to);

    // Corrects strokes by hand, as one edit on top of `base` (the session as a drag began). Nothing
    // happens before the kit is known.
    void correct(const Session& base, const std::vector<StrokeEdit>& edits,
                 const std::string& gesture = {});
    // Places worth listening to for a decision about this row in this column, best first.
    [[nodiscard]] std::vector<FoundSpot> spotsFor(const std::string& row, Column column) const;

  signals:
    void progressed(double fraction, const QString& what);
    void changed();  // measurement, proposals or their measured effects

  private:
    // Advice that is read from more than the kit's measurement, when somebody asks for it.
    struct Found {
        std::vector<Proposal> proposals;
        std::vector<MicWorth> mics;
    };
    struct Asked {
        Errand<void> running;
        Found found;  // as it was last listened to
        std::shared_ptr<Found> result;
        std::shared_ptr<QString> failure;
        std::string key;  // of the recordings that are being listened to
    };
    // Of a copy of the session, in another thread.
    using Advise = Found (*)(const Session&, const KitMeasurement&, AudioStore&, const Progress&);
    void ask(Asked& what, Advise advise);
    void finishAsked(Asked& what);
    void finish();
    void propose();
    void measureNextEffect();
    void finishEffect();
    // A gate that was set to open by strokes needs them in the session.
    void supplyStrokes();
    // The measured strokes with the session's corrections, at once; the rest follows when the hand
    // rests.
    void followCorrections();
    [[nodiscard]] std::string materialKey() const;

    Workspace& workspace_;
    QThreadPool pool_;
    Errand<void> running_, effects_;
    Asked buses_, bleed_;
    std::atomic<bool> abandon_{false};
    std::string key_;  // of the recordings the measurement is of
    std::shared_ptr<KitMeasurement> result_;
    std::shared_ptr<std::vector<Proposal>> effect_;  // being measured
    std::vector<Proposal> effectsWanted_;            // accepted, not measured yet
    std::shared_ptr<const KitMeasurement> measured_;
    std::shared_ptr<QString> failure_;
    std::shared_ptr<std::vector<FoundSpot>> foundSpots_;
    std::vector<FoundSpot> spots_;
    std::vector<StrokeEdit> followed_, startedWith_;  // corrections that measured_ and the run hold
    QTimer rest_;
    QString problem_;
    std::vector<Proposal> proposals_;
    std::map<std::string, std::vector<Effect>> measuredEffects_;  // by proposal id
};

}  // namespace ember::app
