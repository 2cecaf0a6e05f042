// How a session begins with what was looked at, or goes on with it.
#include "app/intake/intake_page.h"
#include "core/advise/session_like.h"
#include "core/report/pack.h"
#include "core/session/file.h"

#include <QFileDialog>

#include <algorithm>

namespace ember::app {

void IntakePage::chooseLike() {
    const QString chosen = QFileDialog::getOpenFileName(
        this, tr("Begin as which session?"), {},
        tr("Ember Cask sessions (*.cask *.json *.caskpack);;All files (*)"));
    if (!chosen.isEmpty()) beginLike(chosen);
}

void IntakePage::beginLike(const QString& path) {
    if (isPack(path.toStdString())) {
        const std::filesystem::path file(path.toStdString());
        // What its layers play has to lie somewhere: beside it.
        return work(
            tr("Laying the template out"),
            [file](Outcome& out, const Progress& progress) {
                const auto session =
                    unpackSession(file, folderFor(file, file.parent_path()), progress);
                out.session = withAbsolutePaths(loadDocument(session).session(), session);
            },
            [this](Outcome& out) { beginAs(out.session); });
    }
    std::optional<Session> earlier;
    if (!path.isEmpty()) {
        try {
            const std::filesystem::path file(path.toStdString());
            earlier = withAbsolutePaths(loadDocument(file).session(), file);
        } catch (const std::exception& error) {
            error_->setText(QString::fromUtf8(error.what()));
            error_->show();
        }
    }
    beginAs(std::move(earlier));
}

void IntakePage::beginAs(std::optional<Session> earlier) {
    earlier_ = std::move(earlier);
    like_->setText(earlier_ ? tr("Begins as “%1”").arg(QString::fromStdString(earlier_->name))
                            : tr("Begins with the usual groups"));
    refreshLike();
}

// What would be different from the earlier session, before anything is begun.
void IntakePage::refreshLike() {
    constexpr std::size_t kShown = 4;
    QStringList lines;
    if (earlier_ && !table_->intake().entries.empty()) {
        try {
            const std::vector<std::string> remarks =
                sessionLike(*earlier_, table_->intake()).remarks;
            for (std::size_t i = 0; i < std::min(kShown, remarks.size()); ++i)
                lines << QString::fromStdString(remarks[i]);
            if (remarks.size() > kShown)
                lines << tr("%1 more differences stand in the logbook afterwards.")
                             .arg(remarks.size() - kShown);
            if (remarks.empty()) lines << tr("Every recording has its row in the earlier session.");
        } catch (const std::exception& error) {
            lines << QString::fromUtf8(error.what());
        }
    }
    different_->setText(lines.join("\n"));
    different_->setVisible(!lines.isEmpty());
}

void IntakePage::build() {
    bool good = false;
    const double tempo = tempo_->text().toDouble(&good);
    if (!good || tempo < 20.0 || tempo > 400.0) {
        error_->setText(tr("The tempo takes a number from 20 to 400 beats a minute, not “%1”.")
                            .arg(tempo_->text()));
        error_->show();
        tempo_->setFocus();
        return;
    }
    table_->setTempo(tempo);
    emit hearAsked({});
    AudioStore* store = &workspace_.store();
    work(
        tr("Building the session"),
        [intake = table_->intake(), earlier = earlier_, store](Outcome& out,
                                                               const Progress& progress) {
            if (!earlier) {
                out.session = sessionFrom(intake, *store, progress);
                return;
            }
            LikeEarlier made = sessionLike(*earlier, intake);
            out.session = std::move(made.session);
            out.remarks = std::move(made.remarks);
        },
        [this](Outcome& out) {
            workspace_.begin(out.session);
            if (earlier_)
                workspace_.tell("Begun as “" + earlier_->name + "”; nothing of it is decided yet.");
            for (const std::string& remark : out.remarks) workspace_.tell(remark);
            startOver();
            emit built();
        });
}

void IntakePage::add() {
    emit hearAsked({});
    const Session before = workspace_.session();
    workspace_.attempt([&] { return withTakenIn(before, table_->intake()); });
    if (workspace_.session() == before) return;  // refused, and said why
    startOver();
    emit built();
}

}  // namespace ember::app
