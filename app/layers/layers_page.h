// The stack of one row: its layers over one another, who helps whom, what each gives the mix, and
// everything of a layer to set.
#pragma once

#include "app/layers/layer_fields.h"
#include "app/layers/library_dialog.h"
#include "app/layers/pads.h"
#include "app/layers/stack_plot.h"
#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "app/workers/player.h"
#include "app/workers/watch.h"
#include "core/report/cut_samples.h"

#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QStackedWidget>
#include <QTableWidget>

#include <atomic>
#include <memory>
#include <optional>

namespace ember::app {

// In the list of layers: Insert adds sounds, Delete takes the chosen layer away, O switches it, D
// doubles it, F2 names it, P turns its polarity over.
class LayersPage : public QWidget {
    Q_OBJECT
  public:
    // Columns of the list of layers, and of how each two add up.
    enum ListColumn { kName, kPart, kLevel, kOffset, kStrokes, kMix };
    enum AgreementColumn { kPair, kLow, kAttack, kWhole };

    LayersPage(Workspace& workspace, Player& player, Listener& listener, PadOptions pads,
               QWidget* parent = nullptr);
    ~LayersPage() override;

    // Shows the row's stack; where it has none, how it gets one.
    void open(const std::string& row);
    [[nodiscard]] const std::string& row() const { return row_; }
    [[nodiscard]] std::string chosen() const;
    void choose(const std::string& layer);
    // Files as new layers of the row that is shown.
    void addSounds(const QStringList& files);
    // Another sound in place of the chosen layer's.
    void replaceSound(const QString& file);
    // The library beside the stack; opened once. `index` empty: the user's own.
    // The library with what is like a file, over this page; what is taken while no row is shown is
    // put under the first drum of this kind ("kick").
    void findLike(const QString& file, const QString& name, const std::string& kind);
    LibraryDialog& openLibrary(const std::filesystem::path& index = {});
    // Files as a new row of layers under a drum; `cut`: out of its own strokes (cut_samples.h),
    // which makes them near-twins of one layer, struck where they were.
    void support(const std::string& drum, const QStringList& files, bool cut = false);
    // Cuts a drum's own clean strokes into a folder, in the background, and puts the hardest of
    // them under it, as near-twins of one layer.
    void supportByOwn(const std::string& drum, const QString& folder);
    [[nodiscard]] StackPlot& plot() { return *plot_; }
    [[nodiscard]] QTableWidget& list() { return *list_; }
    [[nodiscard]] PadBoard& pads() { return *pads_; }
    // Whether what is drawn is of what is set.
    [[nodiscard]] bool settled() const;
    void refreshLook();

  signals:
    void said(const QString& sentence);

  protected:
    void showEvent(QShowEvent* event) override;
    bool eventFilter(QObject* object, QEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

  private:
    void build(PadOptions pads);
    QWidget* buildHead();
    QWidget* buildPanel();
    void refresh();
    void fillRows();
    void fillDrums();
    void fillList();
    void fillAgreements();
    void draw();
    void startPicture();
    void finishPicture();
    void weigh();
    void finishWeighing();
    // Sets the chosen layer just loud enough to be missed.
    void quieten(bool alone);
    void finishQuietening();
    void lineUp();
    void finishLineUp();
    void askSounds();
    void askOwn(const std::string& drum);
    void finishCutting();
    void askName();
    void toggle(Layer::Index index);
    [[nodiscard]] const Row* shown() const;
    [[nodiscard]] QString nameOf(const std::string& layer) const;
    [[nodiscard]] std::vector<Source> soundsOf(const QStringList& files);

    Workspace& workspace_;
    Player& player_;
    Listener& listener_;
    QComboBox* rows_ = nullptr;
    QPushButton *add_ = nullptr, *line_ = nullptr, *weigh_ = nullptr, *quiet_ = nullptr,
                *print_ = nullptr;
    PadBoard* pads_ = nullptr;
    QMenu* drums_ = nullptr;
    std::string supportKind_;  // see findLike()
    LibraryDialog* library_ = nullptr;
    QStackedWidget* states_ = nullptr;  // nothing yet, or the stack
    StackPlot* plot_ = nullptr;
    QTableWidget *list_ = nullptr, *agreements_ = nullptr;
    LayerFields* fields_ = nullptr;
    QLabel *words_ = nullptr, *fieldsTitle_ = nullptr;
    std::string row_;
    bool filling_ = false;

    Errand<void> drawing_, weighing_, lining_;
    std::shared_ptr<StackPicture> nextPicture_;
    std::optional<StackPicture> picture_;
    Session pictured_;  // of which the picture is, or is being made
    bool again_ = false;
    std::shared_ptr<std::vector<Contribution>> nextWeights_;
    std::optional<std::vector<Contribution>> weights_;
    std::shared_ptr<std::vector<LayerMove>> nextMoves_;
    std::shared_ptr<QString> failure_;
    Errand<Outcome<QuietLevel>> quietening_;
    std::string quietRow_, quietLayer_;  // of which a level is being looked for
    bool quietAlone_ = false;
    Errand<Outcome<std::vector<CutSample>>> cutting_;
    std::string cutDrum_;  // whose strokes are being cut
    std::atomic<bool> stopCutting_{false};
    std::string weighedRow_;
    std::atomic<bool> abandon_{false};
};

}  // namespace ember::app
