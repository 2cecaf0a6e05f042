// The spectrum of a bus or the main, a line of one's own over it, and what crosses it.
#pragma once

#include "app/bench/plot.h"
#include "app/widgets/parameter_field.h"
#include "app/workers/errand.h"
#include "app/workers/player.h"
#include "app/workers/watch.h"
#include "core/report/ceiling_check.h"

#include <QDialog>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>

#include <atomic>
#include <optional>
#include <string>
#include <vector>

namespace ember::app {

// Reads over the loop, or over half a minute from the playhead, and anew after every edit that is
// heard; a line that moves is held against what was read.
class CeilingDialog : public QDialog {
    Q_OBJECT
  public:
    CeilingDialog(Workspace& workspace, Player& player, std::string bus, QWidget* parent = nullptr);
    ~CeilingDialog() override;

    [[nodiscard]] bool measuring() const { return running_.isRunning(); }
    [[nodiscard]] QString text() const { return sentence_->text(); }
    [[nodiscard]] Plot& plot() { return *plot_; }
    [[nodiscard]] QTableWidget& table() { return *table_; }

  private:
    void measure();
    void finish();
    void refresh();
    void draw(const CeilingCheck& found);
    void addField(QHBoxLayout* line, const Parameter& parameter, double Ceiling::*value);
    void movePoint(const QString& id, double hertz, double db);
    void removePoint(const QString& id);
    void addPoint();
    void drawLine();
    // The session's line changed by `make`.
    void change(const std::function<void(Ceiling&)>& make, bool gesture = false);

    Workspace& workspace_;
    Player& player_;
    std::string bus_;
    QLabel* sentence_ = nullptr;
    Plot* plot_ = nullptr;
    QTableWidget* table_ = nullptr;
    QPushButton *line_ = nullptr, *point_ = nullptr, *none_ = nullptr;
    std::vector<ParameterField*> fields_;
    std::vector<double> times_;  // of the table's lines, seconds of song time
    std::optional<Spectra> spectra_;
    Ceiling readBy_;  // window and averaging of what was read
    Errand<Outcome<Spectra>> running_;
    std::atomic<bool> abandon_{false};
    bool again_ = false;
};

}  // namespace ember::app
