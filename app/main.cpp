#include "app/theme/theme.h"
#include "app/window/main_window.h"
#include "core/audio/store.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QIcon>
#include <QStandardPaths>
#include <QThreadPool>
#include <QTimer>

#include <cstdint>

int main(int argc, char** argv) {
    using namespace ember;
    QApplication application(argc, argv);
    QApplication::setOrganizationName("Ember Cask");
    QApplication::setApplicationName("Ember Cask");
    QApplication::setApplicationVersion(EMBER_VERSION);
    QCommandLineParser parser;
    parser.setApplicationDescription("Drum mixing that measures, proposes, proves and remembers.");
    parser.addHelpOption();
    parser.addVersionOption();
    const QCommandLineOption demo("demo", "Open the demo kit, simulating it first where needed.");
    parser.addOption(demo);
    parser.addPositionalArgument("files", "A session, recordings or a folder.",
                                 "[session | files...]");
    parser.process(application);
    app::applyLook(application, app::Look::dark);
    QGuiApplication::setDesktopFileName("org.embercask.EmberCask");
    QApplication::setWindowIcon(QIcon(":/icon.png"));

    // Decoded recordings, measurements and pictures; what was not used for longest goes first.
    constexpr std::uintmax_t kCacheBytes = std::uintmax_t{20} << 30U;
    QThreadPool::globalInstance()->start([] { AudioStore().trim(kCacheBytes); });

    app::WindowOptions options;
    options.recoveryFolder =
        QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/recovery";
    options.openDevice = [](const DeviceRequest& request, AudioCallback callback,
                            std::string& why) {
        return openDevice(request, std::move(callback), why);
    };
    app::MainWindow window(options);
    window.show();
    QTimer::singleShot(0, &window, [&] {
        if (parser.isSet(demo))
            window.openDemo();
        else if (!parser.positionalArguments().isEmpty())
            window.openPaths(parser.positionalArguments());
        else
            window.offerRecovery();
    });
    return QApplication::exec();
}
