// All recordings on one time line, with the strokes of every drum as marks to correct by hand.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "app/workers/player.h"

#include <QPixmap>
#include <QWidget>

#include <map>
#include <optional>
#include <set>

namespace ember::app {

// Which strokes are shown, stepped through and exported.
struct StrokeFilter {
    std::string drum;                // empty: every drum
    std::optional<StrokeKind> kind;  // none: every kind
    bool bleed = false;              // bleed marks too
    [[nodiscard]] bool takes(const Stroke& s) const {
        return (drum.empty() || s.drum == drum) && (!kind || s.kind == *kind);
    }
};

class TimeLine : public QWidget {
    Q_OBJECT
  public:
    static constexpr double kHead = 132.0;  // width of the names, pixels
    static constexpr double kRuler = 22.0;  // height of the bar numbers, pixels

    TimeLine(Workspace& workspace, Player& player, Listener& listener, QWidget* parent = nullptr);

    void setFilter(const StrokeFilter& filter);
    [[nodiscard]] const StrokeFilter& filter() const { return filter_; }
    // The span in sight, seconds of song time.
    void show(double from, double to);
    [[nodiscard]] double from() const { return from_; }
    [[nodiscard]] double to() const { return to_; }
    void zoom(double factor, double around);
    void showSong();
    void showBar();  // the bar of the selected stroke, else of the playhead

    // The strokes the filter takes, and the notes of the pattern, in order of time. A note has no
    // microphone.
    [[nodiscard]] std::vector<Stroke> strokes() const;
    [[nodiscard]] const std::optional<Stroke>& selected() const { return selected_; }
    void select(std::optional<Stroke> stroke);
    void step(int direction);  // to the next (+1) or previous (-1) stroke the filter takes

    // Corrections; each is one undoable edit.
    void removeSelected();
    void moveSelected(double seconds);
    void setKind(StrokeKind kind);
    void setDrum(const std::string& drum);
    // 0..1; for notes and strokes alike.
    void setVelocity(double velocity);
    // On a track of layers a note of the pattern.
    void addStroke(const std::string& row, double seconds);
    // What can be struck in this kit.
    [[nodiscard]] std::vector<std::string> drums() const;
    // What people call a drum.
    [[nodiscard]] QString nameOf(const std::string& drum) const;

    void tick();
    [[nodiscard]] double xAt(double seconds) const;
    [[nodiscard]] double secondsAt(double x) const;
    // Middle of a row's track, or -1 when it is not there.
    [[nodiscard]] double yOf(const std::string& row) const;
    void refreshLook();
    // Recordings are opened on another thread, from the workspace's store: to be called before that
    // goes.
    void waitForRecordings();

  signals:
    void selectionChanged();
    void viewChanged();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool event(QEvent* event) override;

  private:
    struct Track {
        std::string row, name, drum;  // drum empty: hears the whole kit
        int hue = 0;
        std::vector<std::pair<std::shared_ptr<const Clip>, Source>> parts;  // none: layers
    };
    struct Opened {
        std::vector<std::shared_ptr<const Clip>> clips;
    };
    enum class Drag { none, pan, stroke };

    void openRecordings();
    // The notes, and what starts layers, as the session has them now.
    void readPattern();
    void redraw();  // waveforms, grid and heads anew; marks are painted over them
    void drawTrack(QPainter& painter, const Track& track, const QRectF& area) const;
    void drawGrid(QPainter& painter) const;
    void paintMarks(QPainter& painter) const;
    void paintMark(QPainter& painter, const Stroke& stroke, const QRectF& area, bool chosen) const;
    [[nodiscard]] QRectF areaOf(std::size_t track) const;
    [[nodiscard]] bool sameAs(const Stroke& stroke) const {
        return selected_ && stroke.drum == selected_->drum && stroke.time == selected_->time;
    }
    [[nodiscard]] std::vector<Stroke> all() const;
    void paintNote(QPainter& painter, const Stroke& stroke, const Track& track, const QRectF& area,
                   bool chosen) const;
    [[nodiscard]] bool shownOn(const Stroke& stroke, const Track& track) const;
    [[nodiscard]] std::optional<Stroke> strokeAt(const QPointF& place) const;
    [[nodiscard]] const Track* trackAt(double y) const;
    [[nodiscard]] double lastPlace(const Stroke& stroke) const;
    void keepInSight(double seconds);
    // In place of the chosen stroke or note, another one.
    void replaceSelected(const Stroke& with, const Session& base, const std::string& gesture = {});
    // The first sample of the rise nearest to a place in a row's own recording.
    [[nodiscard]] double riseNear(const Track& track, double seconds) const;

    Workspace& workspace_;
    Player& player_;
    Listener& listener_;
    std::vector<Track> tracks_;
    std::shared_ptr<Opened> opened_;
    Errand<void> opening_;
    StrokeFilter filter_;
    double from_ = 0.0, to_ = 10.0;
    bool fitted_ = false;  // the whole song was shown once
    std::optional<Stroke> selected_;
    std::vector<Stroke> notes_;                        // of the pattern
    std::map<std::string, std::set<double>> started_;  // by row: strokes that start a layer
    QPixmap picture_;
    bool stale_ = true;
    int playheadAt_ = -1;
    Drag drag_ = Drag::none;
    QPointF grabbed_;
    double grabbedFrom_ = 0.0;
    std::optional<Stroke> dragged_;
    Session dragBase_;
};

}  // namespace ember::app
