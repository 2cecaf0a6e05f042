// Watches work on another thread, and is busy until its finished() was heard.
#pragma once

#include <QFutureWatcher>

namespace ember::app {

// A watcher whose isRunning() stays true while a result is there and its finished() still waits in
// the window's queue: in QFutureWatcher it is false by then, and who asked it would begin anew and
// lose the result, or take an old sentence for the outcome. Window's thread only.
template <class T>
class Errand : public QFutureWatcher<T> {
  public:
    Errand() {
        // Connected before anybody else: in every slot of finished() it runs no more.
        QObject::connect(this, &QFutureWatcherBase::finished, this, [this] { running_ = false; });
    }
    void setFuture(const QFuture<T>& future) {
        running_ = true;
        QFutureWatcher<T>::setFuture(future);
    }
    [[nodiscard]] bool isRunning() const { return running_; }

  private:
    bool running_ = false;
};

}  // namespace ember::app
