// Two mixes beside each other in figures: every row's, the spectra of one, and what differs in
// settings.
#pragma once

#include "app/bench/plot.h"
#include "core/report/mix_figures.h"

#include <QLabel>
#include <QListWidget>
#include <QTableWidget>
#include <QWidget>

namespace ember::app {

class CompareFigures : public QWidget {
    Q_OBJECT
  public:
    explicit CompareFigures(QWidget* parent = nullptr);
    void show(const MixComparison& comparison);
    // Nothing is known: why, or how far it is.
    void clear(const QString& why);
    void refreshLook();
    [[nodiscard]] QTableWidget& table() { return *table_; }
    [[nodiscard]] QListWidget& settings() { return *settings_; }
    [[nodiscard]] QString text() const { return text_->text(); }

  private:
    void drawSpectra();

    QLabel *text_ = nullptr, *plotted_ = nullptr;
    Plot* plot_ = nullptr;
    QCPGraph *a_ = nullptr, *b_ = nullptr;
    QListWidget* settings_ = nullptr;
    QTableWidget* table_ = nullptr;
    MixComparison shown_;
};

}  // namespace ember::app
