// Takes the pictures of docs/screenshots from the demo kit: ember-screenshots DEMO-FOLDER
// OUT-FOLDER.

#include "app/board/row_report_dialog.h"
#include "app/evidence/first_pass_dialog.h"
#include "app/theme/theme.h"
#include "app/window/main_window.h"
#include "core/advise/ready_bus.h"
#include "core/report/recall.h"
#include "core/session/control.h"
#include "core/session/curves.h"
#include "core/session/layers.h"
#include "core/session/routing.h"
#include "core/session/snapshot.h"
#include "devices/simulated_device.h"
#include "print/recall_pages.h"

#include <QApplication>
#include <QComboBox>
#include <QDateTime>
#include <QDialog>
#include <QDir>
#include <QPainter>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTest>

#include <cstdio>

namespace {

using namespace ember;

class Camera {
  public:
    Camera(app::MainWindow& window, QString folder) : window_(window), folder_(std::move(folder)) {}
    void shoot(const QString& name) const {
        QTest::qWait(300);  // plots replot when the event loop is idle
        save(name, window_.grab());
    }
    // The window with a dialog over it.
    void shoot(const QString& name, QDialog& dialog) const {
        QTest::qWait(300);
        QPixmap picture = window_.grab();
        QPainter painter(&picture);
        painter.fillRect(picture.rect(), QColor(0, 0, 0, 110));
        painter.drawPixmap((window_.width() - dialog.width()) / 2,
                           (window_.height() - dialog.height()) / 2, dialog.grab());
        painter.end();
        save(name, picture);
    }

    // Several widgets of one size in two columns.
    void shoot(const QString& name, const std::vector<QPixmap>& parts) const {
        const int wide = parts.front().width(), high = parts.front().height();
        QPixmap picture(2 * wide + 8, static_cast<int>(parts.size() + 1) / 2 * (high + 8) - 8);
        picture.fill(app::colours().hoop);
        QPainter painter(&picture);
        for (int i = 0; i < static_cast<int>(parts.size()); ++i)
            painter.drawPixmap(i % 2 * (wide + 8), i / 2 * (high + 8),
                               parts[static_cast<std::size_t>(i)]);
        painter.end();
        save(name, picture);
    }

    void save(const QString& name, const QPixmap& picture) const {
        picture.save(folder_ + "/" + name + ".png");
        std::printf("%s\n", qPrintable(name));
    }

  private:
    app::MainWindow& window_;
    QString folder_;
};

bool settled(app::MainWindow& window) {
    return QTest::qWaitFor(
        [&] {
            return window.player().ready() && window.tracer().settled() &&
                   !window.listener().listening();
        },
        240000);
}

// The demo kit under names as engineers write them, some of which say nothing.
QString namedByEngineers(const QString& demo, const QString& folder) {
    const std::vector<std::pair<const char*, const char*>> names{
        {"Kick In", "01_KIKin"},      {"Kick Out", "02_SUBKICK-dp"}, {"Snare Top", "03_SnTp.02"},
        {"Snare Bottom", "Audio 11"}, {"Hat", "05_Tom 2-dp"},        {"Rack Tom", "Audio 14"},
        {"Floor Tom", "07_FlrTom"},   {"Ride", "Audio 17"},          {"Overhead L", "09_OHL-dp"},
        {"Overhead R", "10_OHR-dp"},  {"Room", "11_RmFar st"},       {"Bass", "20_BassDI"}};
    const QString takes = folder + "/Takes of Monday";
    QDir().mkpath(takes);
    for (const auto& [from, to] : names)
        QFile::copy(demo + "/" + from + ".wav", takes + "/" + to + ".wav");
    return takes;
}

// A ride of the overheads, and a plate that opens for every second snare.
bool shootCurves(app::MainWindow& window, const Camera& camera) {
    const Session before = window.workspace().session();
    const std::vector<Stroke>& strokes = window.listener().measured()->strokes.strokes;
    Session drawn = withReadyBus(before, "plate");
    drawn = withValue(std::move(drawn), "plate", "seat", "level", 0.0);
    const CurvePlace send{"snare-top", "", "plate", "level"}, ride{"overhead", "seat", "", "level"};
    drawn = withCurve(drawn, send,
                      curveByStrokes(drawn, send, strokes,
                                     {"snare", StrokeKind::accent, 2, 1, -6.0, -90.0, 0.0, 0.5}));
    const double zero = quarterOfBar(drawn.time, 0);
    drawn = withCurve(drawn, ride,
                      {"",
                       true,
                       4,
                       {{zero, -9.0, CurveShape::ease},
                        {zero + 8.0, -3.0, CurveShape::line},
                        {zero + 12.0, -6.0, CurveShape::hold},
                        {zero + 14.0, -12.0, CurveShape::line}}});
    window.workspace().edit(std::move(drawn));
    if (!settled(window)) return false;
    window.showHits();
    window.hits().showCurve(ride);
    window.hits().timeLine().show(0.0, 20.0);
    window.hits().curves().lane().select(1);
    window.player().seek(6.5);
    QTest::qWait(500);
    camera.shoot("curves");
    window.workspace().edit(before);
    return settled(window);
}

}  // namespace

// A snapshot against what was made of it since, the logbook before delivery, and the recall sheet.
bool shootProof(app::MainWindow& window, const Camera& camera) {
    app::Workspace& workspace = window.workspace();
    const Session before = workspace.session();
    const auto take = [&](const char* name, const char* note, Verdict verdict) {
        workspace.edit(
            withSnapshotTaken(workspace.session(), name, note, QDateTime::currentSecsSinceEpoch()));
        workspace.edit(withSnapshotJudged(workspace.session(), name, verdict, note));
    };
    take("As it came", "", Verdict::open);
    if (!settled(window)) return false;
    window.listener().acceptAll();
    if (!settled(window)) return false;
    take("First pass", "snare in front, hats too dry", Verdict::better);
    workspace.edit(withValue(workspace.session(), "snare-top", "seat", "level", -3.0));
    window.showCompare();
    window.comparison().choose(0, "snapshot-1");
    window.comparison().choose(1, {});
    if (!settled(window) || !QTest::qWaitFor(
                                [&] {
                                    return window.comparison().settled() &&
                                           window.comparison().figures().table().rowCount() > 0;
                                },
                                240000))
        return false;
    window.comparison().figures().table().setCurrentCell(2, 0);
    // In the middle of a blind test.
    window.comparison().startBlindTest(7);
    for (const char* said : {"blind-is-b", "blind-is-a", "blind-is-b", "blind-is-b"})
        window.comparison().findChild<QPushButton*>(said)->click();
    window.comparison().findChild<QPushButton*>("compare-hear-1")->click();
    camera.shoot("compare");
    window.showFlow();
    app::RowReportDialog check(workspace, window.player(),
                               app::busCheckReport(workspace.session(), "drum-bus"), &window);
    check.show();
    if (!QTest::qWaitFor([&] { return !check.measuring(); }, 240000)) return false;
    camera.shoot("bus-check", check);
    check.close();
    window.activateWindow();
    if (!QTest::qWaitForWindowActive(&window)) return false;
    window.showReference();
    if (!QTest::qWaitFor([&] { return window.reference().ready(); }, 240000)) return false;
    camera.shoot("reference");
    workspace.addNote("Ask for a tighter snare in the second chorus.", "snare-top");
    window.showLogbook();
    window.logbook().findChild<QPushButton*>("deliver-check")->click();
    app::DeliverPanel& deliver = window.logbook().deliver();
    if (!QTest::qWaitFor([&] { return !deliver.working() && deliver.checks().count() > 0; },
                         240000))
        return false;
    camera.shoot("logbook");
    const RecallSheet sheet = recallSheet(
        workspace.document(), recallFigures(workspace.session(), workspace.store(),
                                            window.listener().measured()->strokes.strokes));
    const RecallPages pages(sheet, QSizeF(672, 970));
    QPixmap paper(2 * 720, 1018);
    paper.fill(Qt::white);
    QPainter painter(&paper);
    for (int page = 0; page < 2 && page < pages.count(); ++page) {
        painter.resetTransform();
        painter.translate(24 + page * 720, 24);
        pages.paint(painter, page);
    }
    painter.end();
    camera.save("recall", paper);
    workspace.edit(before);
    return settled(window);
}

// The programmed demo: its notes, and the stack of its kick.
bool shootLayers(app::MainWindow& window, const Camera& camera) {
    window.openProgrammedDemo();
    if (!QTest::qWaitFor([&] { return !window.workspace().session().pattern.get().notes.empty(); },
                         60000) ||
        !settled(window))
        return false;
    window.hits().pattern().humanise(9.0, 0.12);
    window.showHits();
    window.hits().timeLine().show(0.0, 9.5);
    window.hits().timeLine().step(1);
    QTest::qWait(500);
    camera.shoot("pattern");
    window.workspace().undo();
    Session stacked =
        withLayerValue(window.workspace().session(), "kick", "kick-beater", "on", 1.0);
    stacked = withLayerValue(std::move(stacked), "kick", "kick-beater", "level", -5.0);
    window.workspace().edit(std::move(stacked));
    window.showLayers("kick");
    window.layers().choose("kick-beater");
    if (!QTest::qWaitFor([&] { return window.layers().settled(); }, 60000)) return false;
    window.layers().findChild<QPushButton*>("layer-weigh")->click();
    if (!QTest::qWaitFor([&] { return window.layers().settled(); }, 60000) || !settled(window))
        return false;
    window.layers().findChild<QPushButton*>("layer-pads")->click();
    QTest::qWait(300);
    window.layers().pads().pads().front()->setFocus();
    camera.shoot("layers");
    return true;
}

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    const bool one = argc == 4 && QString::fromLocal8Bit(argv[3]) == "--one";
    if (argc != 3 && !one) {
        std::fprintf(stderr, "usage: ember-screenshots DEMO-FOLDER OUT-FOLDER [--one]\n");
        return 2;
    }
    app::applyLook(application, app::Look::dark);
    app::WindowOptions options;
    options.recoveryFolder = QDir::tempPath() + "/ember-screenshots";
    options.remember = false;
    options.ask = false;
    options.openDevice = [](const DeviceRequest& request, AudioCallback callback, std::string&) {
        SimulatedOptions simulated;
        simulated.sampleRate = request.sampleRate;
        return std::make_unique<SimulatedDevice>(simulated, std::move(callback));
    };
    app::MainWindow window(options);
    window.resize(1280, 800);
    window.show();
    const Camera camera(window, QString::fromLocal8Bit(argv[2]));
    const QTemporaryDir strangers;
    window.intake().take({namedByEngineers(QString::fromLocal8Bit(argv[1]), strangers.path())});
    if (!QTest::qWaitFor([&] { return window.intake().table()->rowCount() > 0; }, 240000)) return 1;
    camera.shoot("intake");
    if (one) return 0;
    window.openDemo(QString::fromLocal8Bit(argv[1]));
    if (!QTest::qWaitFor([&] { return window.board().isVisible(); }, 240000) || !settled(window))
        return 1;
    window.workspace().setLoop({true, 26.0, 30.6});
    window.workspace().setStageOn("rack-tom", "gate", true);
    if (!settled(window)) return 1;
    window.board().select({"snare-top", Column::gate});
    window.player().seek(26.2);
    window.player().play();
    QTest::qWait(1500);
    camera.shoot("board");
    // A hat that was taken for a tom: asked about, then corrected, with undo.
    {
        Session doubtful = window.workspace().session();
        Row& hat = *findRow(doubtful, "hat");
        hat.role = Role::tom;
        hat.who = {0.22, {"name"}, {{Role::hat, 0.71}, {Role::ride, 0.05}}};
        window.workspace().edit(withDrums(std::move(doubtful)));
        window.board().select({"hat", Column::gate});
        camera.shoot("who");
        window.workspace().setRole("hat", Role::hat);
        window.workspace().undo();
        window.workspace().undo();
        if (!settled(window)) return 1;
    }
    window.showBench({"snare-top", Column::gate});
    QTest::qWait(1500);
    camera.shoot("gate");
    window.player().stop();
    // Two controls of one's own, one of which no longer agrees with what it moves.
    const auto moves = [&](const char* control, const char* stage, const char* parameter,
                           double from, double to) {
        window.workspace().edit(withControlTarget(window.workspace().session(), "snare-top", stage,
                                                  {control, parameter, from, to}));
    };
    moves("Dry", "gate", "release", 400.0, 60.0);
    moves("Punch", "compressor", "threshold", -6.0, -30.0);
    moves("Punch", "compressor", "attack", 10.0, 40.0);
    window.workspace().edit(
        withControlMoved(window.workspace().session(), "snare-top", "Dry", 70.0));
    if (!settled(window)) return 1;
    window.showBench({"snare-top", std::nullopt});
    camera.shoot("row");
    for (int edits = 0; edits < 4; ++edits) window.workspace().undo();
    if (!settled(window)) return 1;
    window.showBench({"snare-top", Column::repair});
    QTest::qWait(1000);
    camera.shoot("eq");
    // With a parallel beside the buses.
    {
        Session sent = withBusAdded(window.workspace().session(), "Crush");
        sent = withValue(std::move(sent), "crush", "compressor", "threshold", -38.0);
        sent = withSend(std::move(sent), "kick-in", {"crush", false, true, -12.0});
        sent = withSend(std::move(sent), "snare-top", {"crush", true, true, -8.0, 15.0});
        window.workspace().edit(std::move(sent));
        if (!settled(window)) return 1;
        window.showFlow();
        window.flow().matrix().setCurrentCell(2, 3);
        camera.shoot("flow");
        window.workspace().undo();
        if (!settled(window)) return 1;
    }
    // A kit taken apart, cleaned as proposed.
    window.showFlow(app::FlowSide::bleed);
    if (!QTest::qWaitFor([&] { return window.flow().bleed().ready(); }, 240000)) return 1;
    auto* school = window.flow().bleed().findChild<QComboBox*>("bleed-school");
    school->setCurrentIndex(1);
    emit school->activated(1);
    window.flow().bleed().mixer().setCurrentCell(2, 0);
    window.flow().bleed().findChild<QPushButton*>("bleed-propose")->click();
    if (!QTest::qWaitFor([&] { return !window.listener().open("bleed").empty(); }, 240000))
        return 1;
    window.flow().bleed().findChild<QPushButton*>("bleed-accept-all")->click();
    if (!QTest::qWaitFor(
            [&] {
                return window.listener()
                    .proposalOf("snare-top", "bleed")
                    ->effects.front()
                    .measured.has_value();
            },
            240000) ||
        !settled(window))
        return 1;
    camera.shoot("bleed");
    window.workspace().undo();
    window.workspace().undo();
    if (!settled(window)) return 1;
    window.showFlow(app::FlowSide::lowEnd);
    if (!QTest::qWaitFor([&] { return window.flow().lowEnd().ready(); }, 240000)) return 1;
    camera.shoot("low-end");
    if (!shootProof(window, camera)) return 1;
    if (!shootCurves(window, camera)) return 1;
    window.showBoard();
    window.board().select({"snare-top", Column::dynamics});
    QTest::keyClick(&window, Qt::Key_T);
    if (!QTest::qWaitFor([&] { return window.ledger()->ready(); }, 240000)) return 1;
    camera.shoot("ledger", *window.ledger());
    delete window.ledger();
    window.activateWindow();
    if (!QTest::qWaitForWindowActive(&window)) return 1;
    {
        // With what the buses need, at the end of the list.
        window.listener().listenToBuses();
        app::FirstPassDialog firstPass(window.workspace(), window.listener(), &window);
        firstPass.show();
        if (!QTest::qWaitFor([&] { return !window.listener().open("bus").empty(); }, 240000))
            return 1;
        firstPass.tree().scrollToBottom();
        camera.shoot("first-pass", firstPass);
    }
    return shootLayers(window, camera) ? 0 : 1;
}
