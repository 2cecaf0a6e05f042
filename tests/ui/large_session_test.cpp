// A session of forty rows with a logbook of two thousand lines.
#include "core/session/file.h"
#include "tests/ui/ui_support.h"

#include <QElapsedTimer>

namespace ember {
namespace {

using test::eventually;
using test::Window;

// Tells when a widget was painted.
class Painted : public QObject {
  public:
    explicit Painted(QWidget& widget) { widget.installEventFilter(this); }
    bool done = false;

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override {
        done = done || event->type() == QEvent::Paint;
        return QObject::eventFilter(watched, event);
    }
};

TEST(LargeSession, ShowsItsFirstPictureWithinASecondAndItsLongPastSoon) {
    const Window window;
    Session session = window.session();
    const Row like = *findRow(session, "snare-top");
    while (session.rows.size() < 40) {
        Row row = like;
        row.name = "Extra " + std::to_string(session.rows.size());
        row.id = makeRowId(session, row.name);
        session.rows.insert(session.rows.end() - 1, std::move(row));
    }
    std::vector<LogEntry> log;
    for (int i = 0; i < 2000; ++i) {
        const Row& row = session.rows[static_cast<std::size_t>(i) % session.rows.size()];
        LogEntry entry;
        entry.time = 1700000000 + i;
        entry.what = {row.name + " · Seat · Level −" + std::to_string(i % 30) + ".0 dB → −6.0 dB",
                      row.id,
                      "seat",
                      "level",
                      "",
                      "−6.0 dB"};
        entry.reason = "It stands a little too far in front of the others in the verse.";
        log.push_back(std::move(entry));
    }
    const auto file = window.folder() / "large.json";
    saveDocument(file, Document(session, log));
    const Window other(false);
    const auto timeTo = [&](QWidget& page, const std::function<void()>& show) {
        QElapsedTimer clock;
        clock.start();
        show();
        const Painted painted(page);
        page.update();
        EXPECT_TRUE(eventually([&] { return painted.done; }));
        return 1e-3 * static_cast<double>(clock.elapsed());
    };
    const double opening = timeTo(*other->board().viewport(), [&] {
        EXPECT_TRUE(other->openSession(QString::fromStdString(file.string())));
    });
    EXPECT_EQ(other.session().rows.size(), 40U);
    const double reading =
        timeTo(other->logbook(), [&] { QTest::keyClick(&*other, Qt::Key_L, Qt::ControlModifier); });
    EXPECT_TRUE(other->logbook().isVisible());
#if !defined(EMBER_SANITIZED)
    EXPECT_LT(opening, 1.0);
    EXPECT_LT(reading, 3.0);
#endif
    RecordProperty("opening_ms", static_cast<int>(1000.0 * opening));
    RecordProperty("reading_ms", static_cast<int>(1000.0 * reading));
}

}  // namespace
}  // namespace ember
