// How work behind the window tells it how far it is.
#pragma once

#include "core/base/progress.h"

#include <QObject>
#include <QString>

#include <atomic>
#include <exception>
#include <functional>

namespace ember::app {

// For a job on another thread: `tell` is called on the receiver's thread, as long as that lives;
// the job is cancelled once `abandon` says so. Both must outlive the job.
inline Progress watchedBy(QObject* receiver, const std::atomic<bool>& abandon,
                          std::function<void(double part, const QString& what)> tell) {
    return [receiver, &abandon, tell = std::move(tell)](double part, const std::string& what) {
        QMetaObject::invokeMethod(
            receiver, [tell, part, text = QString::fromStdString(what)] { tell(part, text); },
            Qt::QueuedConnection);
        return !abandon.load();
    };
}

// What came of work: a value, or why there is none.
template <typename Value>
struct Outcome {
    Value value;
    QString problem;  // empty: there is one
};

// Does `make`; `stopped` is said where it was cancelled.
template <typename Make>
auto outcomeOf(const QString& stopped, Make make) -> Outcome<decltype(make())> {
    try {
        return {make(), {}};
    } catch (const Cancelled&) {
        return {{}, stopped};
    } catch (const std::exception& error) {
        return {{}, QString::fromUtf8(error.what())};
    }
}

}  // namespace ember::app
