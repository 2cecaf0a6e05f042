#include "tests/ui/ui_support.h"

#include "app/theme/theme.h"
#include "core/advise/intake.h"
#include "core/base/error.h"
#include "demo/mix.h"
#include "demo/one_shots.h"

#include <QApplication>
#include <QDropEvent>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QMimeData>
#include <QStandardPaths>

#include <algorithm>
#include <cstring>
#include <thread>

namespace ember::test {

namespace {
bool realWindow = false;
}

bool inRealWindow() {
    return realWindow;
}

bool eventually(const std::function<bool()>& met, double seconds) {
#if defined(EMBER_SANITIZED)
    constexpr double kPatience = 8.0;
#else
    constexpr double kPatience = 1.0;
#endif
    return QTest::qWaitFor(met, static_cast<int>(kPatience * seconds * 1000.0));
}

void MidiKeyboards::strike(int key, double velocity) const {
    std::thread([&] { callback_({key, velocity}); }).join();
}

std::unique_ptr<MidiInput> MidiKeyboards::open(const std::string& name, MidiCallback callback,
                                               std::string& why) {
    struct Opened : MidiInput {
        std::shared_ptr<bool> open;
        ~Opened() override { *open = false; }
    };
    if (std::find(names.begin(), names.end(), name) == names.end()) {
        why = name + " is gone.";
        return nullptr;
    }
    callback_ = std::move(callback);
    *open_ = true;
    auto out = std::make_unique<Opened>();
    out->open = open_;
    return out;
}

Window::Window(bool open) {
    app::WindowOptions options;
    options.recoveryFolder = QString::fromStdString((folder_ / "recovery").string());
    options.remember = false;
    options.ask = false;
    options.openDevice = [this](const DeviceRequest& request, AudioCallback callback,
                                std::string&) {
        SimulatedOptions simulated;
        simulated.sampleRate = request.sampleRate;
        simulated.recordSeconds = 30.0;
        auto device = std::make_unique<SimulatedDevice>(simulated, std::move(callback));
        device_ = device.get();
        return device;
    };
    options.midi.list = [this] { return midi_.names; };
    options.midi.open = [this](const std::string& name, MidiCallback callback, std::string& why) {
        return midi_.open(name, std::move(callback), why);
    };
    window_ = std::make_unique<app::MainWindow>(options);
    window_->resize(1280, 800);
    window_->show();
    window_->activateWindow();
    if (!QTest::qWaitForWindowExposed(window_.get())) throw Error("The window did not show.");
    if (open) {
        window_->workspace().begin(demo::demoMix(shortSession()));
        window_->showBoard();
        if (!settle()) throw Error("The session did not settle.");
    }
}

bool Window::takeProgrammedDemo() const {
    const auto shots = folder_ / "shots";
    demo::writeOneShots(shots);
    window_->takeKit({QString::fromStdString(shots.string())},
                     QString::fromStdString((shots / demo::kBeatFile).string()));
    if (!eventually([&] { return !window_->workspace().empty(); }, 60.0)) return false;
    // Keys go to the window once its progress is gone.
    window_->activateWindow();
    return eventually([&] { return window_->isActiveWindow(); });
}

bool Window::listened() const {
    return eventually([&] { return window_->listener().measured() != nullptr; }, 120.0);
}

Window::~Window() = default;

bool Window::settle() const {
    return eventually([this] { return window_->player().ready() && window_->tracer().settled(); },
                      90.0);
}

double Window::value(const std::string& row, const std::string& stage,
                     const std::string& parameter) const {
    const Stage* s = findStage(*findRow(session(), row), stage);
    return s
        ->values[static_cast<std::size_t>(parameterIndex(processorType(s->type).table, parameter))];
}

app::StageEditor& Window::bench(const std::string& row, Column column) const {
    window_->showBench({row, column});
    QApplication::processEvents();
    if (window_->bench().editors().size() != 1) throw Error("There is not one editor.");
    return *window_->bench().editors().front();
}

void dragHandle(app::Plot& plot, const QString& handle, int dx, int dy) {
    const QPoint from = plot.handlePixel(handle).toPoint();
    QTest::mousePress(&plot, Qt::LeftButton, Qt::NoModifier, from);
    for (int step = 1; step <= 4; ++step) {
        const QPoint to(from.x() + dx * step / 4, from.y() + dy * step / 4);
        QMouseEvent move(QEvent::MouseMove, to, plot.mapToGlobal(to), Qt::NoButton, Qt::LeftButton,
                         Qt::NoModifier);
        QApplication::sendEvent(&plot, &move);
    }
    QTest::mouseRelease(&plot, Qt::LeftButton, Qt::NoModifier,
                        QPoint(from.x() + dx, from.y() + dy));
}

Session withRecord(Session session, double later) {
    std::erase_if(session.rows, [](const Row& r) { return r.kind == RowKind::reference; });
    Row record = *findRow(session, "overhead");
    record.id = "record";
    record.name = "Old Mix";
    record.kind = RowKind::reference;
    record.role = Role::reference;
    record.drum.clear();
    record.parent.clear();
    record.sends.clear();
    record.chain = makeChain(RowKind::reference);
    for (Source& side : record.sources) side.offset += later;
    session.rows.push_back(record);
    return session;
}

QLineEdit& fieldOf(QWidget& editor, const std::string& parameter) {
    for (auto* field : editor.findChildren<app::ParameterField*>()) {
        if (field->parameterId() != parameter) continue;
        if (auto* edit = field->findChild<QLineEdit*>()) return *edit;
    }
    throw Error("There is no field for " + parameter + ".");
}

void drop(QWidget& target, const QStringList& paths) {
    QMimeData data;
    QList<QUrl> urls;
    for (const QString& path : paths) urls << QUrl::fromLocalFile(path);
    data.setUrls(urls);
    const QPoint middle = target.rect().center();
    QDragEnterEvent enter(middle, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&target, &enter);
    ASSERT_TRUE(enter.isAccepted());
    QDropEvent event(middle, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&target, &event);
}

}  // namespace ember::test

int main(int argc, char** argv) {
    testing::InitGoogleTest(&argc, argv);
    for (int i = 1; i < argc; ++i)
        ember::test::realWindow =
            ember::test::realWindow || std::strcmp(argv[i], "--window=real") == 0;
    // The real window runs one suite of its own; offscreen everything else.
    const std::string wanted = testing::GTEST_FLAG(filter);
    if (wanted == "*")
        testing::GTEST_FLAG(filter) = ember::test::realWindow ? "RealWindow.*" : "-RealWindow.*";
    // A home of its own: what Qt calls a test's data folder lies in it, and others may be testing.
    const ember::test::TempFolder home;
    qputenv("HOME", home.path().string().c_str());
    QApplication application(argc, argv);
    QApplication::setApplicationName("Ember Cask tests");
    QStandardPaths::setTestModeEnabled(true);
    ember::app::applyLook(application, ember::app::Look::dark);
    return RUN_ALL_TESTS();
}
