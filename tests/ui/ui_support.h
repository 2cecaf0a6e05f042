// A window of the real application, on a simulated device, with a small session.
#pragma once

#include "app/window/main_window.h"
#include "devices/simulated_device.h"
#include "tests/support/support.h"

#include <QSignalSpy>
#include <QTest>

#include <functional>
#include <memory>

namespace ember::test {

// Whether the suite runs in a real window (under Xvfb) instead of offscreen.
bool inRealWindow();

// Runs the event loop until `met`, at most `seconds`.
bool eventually(const std::function<bool()>& met, double seconds = 30.0);

// The session with the overheads once more as its only reference, "record", that begins so many
// seconds later.
Session withRecord(Session session, double later = 0.0);

// Keyboards that tests plug in and play.
class MidiKeyboards {
  public:
    std::vector<std::string> names;

    // Strikes a key of the one that is open, from a thread of its own, as a real one does.
    void strike(int key, double velocity) const;
    std::unique_ptr<MidiInput> open(const std::string& name, MidiCallback callback,
                                    std::string& why);
    [[nodiscard]] bool isOpen() const { return *open_; }

  private:
    MidiCallback callback_;
    std::shared_ptr<bool> open_ = std::make_shared<bool>(false);
};

class Window {
  public:
    explicit Window(bool open = true);
    ~Window();
    [[nodiscard]] app::MainWindow& operator*() const { return *window_; }
    [[nodiscard]] app::MainWindow* operator->() const { return window_.get(); }
    // Takes in the demo's one-shots with their notes; false where that takes too long.
    [[nodiscard]] bool takeProgrammedDemo() const;
    // Waits until the kit has been listened to.
    [[nodiscard]] bool listened() const;
    [[nodiscard]] SimulatedDevice* device() const { return device_; }
    [[nodiscard]] MidiKeyboards& midi() { return midi_; }
    [[nodiscard]] const TempFolder& folder() const { return folder_; }
    [[nodiscard]] const Session& session() const { return window_->workspace().session(); }
    [[nodiscard]] double value(const std::string& row, const std::string& stage,
                               const std::string& parameter) const;
    // Waits until the engine has the current plan and every picture is up to date.
    bool settle() const;
    // Opens a cell's bench and returns its editor.
    app::StageEditor& bench(const std::string& row, Column column) const;

  private:
    TempFolder folder_;
    SimulatedDevice* device_ = nullptr;
    MidiKeyboards midi_;
    std::unique_ptr<app::MainWindow> window_;
};

// Presses at a handle of a plot, moves by (dx, dy) pixels and lets go.
void dragHandle(app::Plot& plot, const QString& handle, int dx, int dy);
// Drops files or folders on a widget, which has to take them.
void drop(QWidget& target, const QStringList& paths);
// The line edit of a parameter's field.
QLineEdit& fieldOf(QWidget& editor, const std::string& parameter);

}  // namespace ember::test
