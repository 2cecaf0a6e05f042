#include "app/workers/printer.h"

#include "core/base/background.h"
#include "core/engine/print_row.h"
#include "core/session/printed.h"
#include "core/session/recipe.h"

#include <QDateTime>
#include <QtConcurrent/QtConcurrentRun>

namespace ember::app {
namespace fs = std::filesystem;

Printer::Printer(Workspace& workspace, QObject* parent) : QObject(parent), workspace_(workspace) {
    connect(&running_, &QFutureWatcherBase::finished, this, &Printer::finish);
}

Printer::~Printer() {
    abandon_ = true;
    running_.waitForFinished();
    std::error_code none;
    for (const fs::path& file : unkept_) fs::remove(file, none);
}

void Printer::freeze(const std::vector<std::string>& rows) {
    std::vector<PrintJob> jobs;
    jobs.reserve(rows.size());
    for (const std::string& row : rows) jobs.push_back({row});
    print(jobs);
}

void Printer::print(const std::vector<PrintJob>& jobs) {
    if (jobs.empty()) return;
    if (busy())
        return emit ended(tr("Other rows are being printed; wait for them, or cancel."), false);
    abandon_ = false;
    running_.setFuture(QtConcurrent::run(
        [this, jobs, session = workspace_.session(), store = &workspace_.store(),
         folder = workspace_.printFolder(), now = QDateTime::currentSecsSinceEpoch()] {
            stepBack();
            const Progress all = watchedBy(
                this, abandon_,
                [this](double part, const QString& what) { emit progressed(part, what); });
            Made made;
            for (std::size_t i = 0; i < jobs.size() && made.problem.isEmpty(); ++i) {
                const auto part = [&](std::size_t n) {
                    return static_cast<double>(n) / static_cast<double>(jobs.size());
                };
                PrintJob job = jobs[i];
                auto print = outcomeOf(tr("Cancelled."), [&] {
                    std::string of = job.row;
                    if (job.what == PrintJob::For::again) {
                        const Row* row = findRow(session, job.row);
                        if (row == nullptr || !row->printed)
                            throw Error("What is to be printed again was not printed.");
                        of = row->printed->row;
                        job.semitones = row->printed->semitones;
                    }
                    return printRow(session, *store, of, folder, now,
                                    within(all, part(i), part(i + 1)), job.semitones);
                });
                made.problem = print.problem;
                if (print.problem.isEmpty()) made.prints.emplace_back(job, std::move(print.value));
            }
            return made;
        }));
}

Session Printer::used(Session session, const PrintJob& job, const Print& print, QStringList& said) {
    const Row* row = findRow(session, job.row);
    if (row == nullptr) return session;
    const QString name = QString::fromStdString(row->name);
    switch (job.what) {
        case PrintJob::For::itself: {
            session = withPrint(std::move(session), job.row, print);
            const bool fits = printFits(session, *findRow(session, job.row));
            said << (fits ? tr("%1 frozen").arg(name)
                          : tr("%1 changed meanwhile, so live").arg(name));
            return session;
        }
        case PrintJob::For::anotherRow: {
            NewRow made = withPrintedRow(std::move(session), print.audio,
                                         {job.row, print.recipe, job.semitones, print.time});
            said << tr("%1 printed to %2, and muted")
                        .arg(name, QString::fromStdString(findRow(made.session, made.row)->name));
            return std::move(made.session);
        }
        case PrintJob::For::again: {
            const PrintedOf of{row->printed->row, print.recipe, job.semitones, print.time};
            said << tr("%1 printed anew").arg(name);
            return withPrintedAnew(std::move(session), job.row, print.audio, of);
        }
    }
    return session;
}

void Printer::finish() {
    const Made made = running_.result();
    Session next = workspace_.session();
    QStringList said;
    for (const auto& [job, print] : made.prints) {
        if (workspace_.path().isEmpty()) unkept_.emplace_back(print.audio.front().file);
        next = used(std::move(next), job, print, said);
    }
    workspace_.edit(std::move(next));
    if (!made.problem.isEmpty()) said << made.problem;
    emit ended(said.join(", "), made.problem.isEmpty());
}

void Printer::playLive(const std::vector<std::string>& rows) {
    workspace_.attempt([&] {
        Session next = workspace_.session();
        for (const std::string& row : rows) next = withoutPrint(std::move(next), row);
        return next;
    });
}

}  // namespace ember::app
