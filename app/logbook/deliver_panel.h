// Before a mix leaves the house: what is looked at, and what is written.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "app/workers/player.h"
#include "app/workers/watch.h"
#include "core/report/collect.h"
#include "core/report/delivery.h"
#include "core/report/pack.h"
#include "core/report/recall.h"

#include <QLabel>
#include <QListWidget>
#include <QProgressBar>
#include <QPushButton>
#include <QWidget>

#include <atomic>

namespace ember::app {

class DeliverPanel : public QWidget {
    Q_OBJECT
  public:
    DeliverPanel(Workspace& workspace, Listener& listener, QWidget* parent = nullptr);
    ~DeliverPanel() override;
    [[nodiscard]] QListWidget& checks() { return *checks_; }
    [[nodiscard]] bool working() const {
        return checking_.isRunning() || !file_.isEmpty() || collecting_;
    }
    [[nodiscard]] QString text() const { return text_->text(); }
    // The recall sheet into a file whose ending says the form; html, pdf, csv or md.
    void writeSheet(const QString& file);
    // The session and all it plays into a folder that is new or empty.
    void collect(const QString& folder);
    // The same into one file, or what other songs may begin as.
    void pack(const QString& file, PackAs as);

  signals:
    void renderAsked();
    void rowAsked(const std::string& row);

  private:
    void check();
    void checked();
    void chooseSheet();
    void chooseFolder();
    void choosePack();
    void gather(std::function<Collected(const Document&, const Progress&)> what);
    void collected();
    void written();
    void refresh();
    void tell(double part, const QString& what);
    [[nodiscard]] Progress watch();

    Workspace& workspace_;
    Listener& listener_;
    QListWidget* checks_ = nullptr;
    QLabel* text_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QPushButton *look_ = nullptr, *sheet_ = nullptr, *render_ = nullptr, *collect_ = nullptr,
                *pack_ = nullptr, *stop_ = nullptr;
    Errand<Outcome<std::vector<DeliveryCheck>>> checking_;
    Errand<Outcome<RecallFigures>> writing_;
    Errand<Outcome<Collected>> gathering_;
    std::atomic<bool> abandon_{false};
    Document document_;        // of the sheet that is being written
    QString file_;             // that is being written; empty: none
    bool collecting_ = false;  // until what came of it is told
    bool stale_ = false;       // the session was edited since the checks
};

}  // namespace ember::app
