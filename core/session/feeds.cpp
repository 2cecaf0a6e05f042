#include "core/session/feeds.h"

#include "core/base/error.h"
#include "core/session/drum.h"
#include "core/session/routing.h"

#include <algorithm>

namespace ember {
namespace {

bool isFed(const Row& row) {
    return row.kind == RowKind::element && !row.layers.empty() && !row.drum.empty();
}

std::vector<std::string> rowsOf(const Session& session, std::string_view drum) {
    std::vector<std::string> out;
    for (const Row& row : session.rows) {
        if (isFed(row) && row.drum == drum) out.push_back(row.id);
    }
    return out;
}

}  // namespace

KitFeeds kitFeeds(const Session& session) {
    KitFeeds out;
    for (const Row& row : session.rows) {
        const bool known =
            std::find(out.drums.begin(), out.drums.end(), row.drum) != out.drums.end();
        if (isFed(row) && !known) out.drums.push_back(row.drum);
    }
    for (const Row& bus : session.rows) {
        const bool fed = bus.kind == RowKind::bus &&
                         std::any_of(session.rows.begin(), session.rows.end(), [&](const Row& row) {
                             return isFed(row) && findSend(row, bus.id) != nullptr;
                         });
        if (fed) out.buses.push_back(bus.id);
    }
    return out;
}

double feedDb(const Session& session, std::string_view drum, std::string_view bus) {
    double db = kSendLowest;
    for (const std::string& id : rowsOf(session, drum)) {
        const Send* send = findSend(*findRow(session, id), bus);
        if (send != nullptr && send->on) db = std::max(db, send->levelDb);
    }
    return db;
}

double parseFeed(const std::string& text) {
    static const Parameter level{"level", "A drum",      Unit::dB, kSendLowest, kSendHighest,
                                 0.0,     Scale::linear, "",       {}};
    return text == "silent" ? kSendLowest : parseValue(level, text);
}

Session withFeed(Session session, std::string_view drum, std::string_view bus, double db) {
    const std::vector<std::string> rows = rowsOf(session, drum);
    if (rows.empty())
        throw Error("No layers play “" + drumName(session, std::string(drum)) +
                    "”, so nothing of it can be sent.");
    for (const std::string& id : rows) {
        const Send* was = findSend(*findRow(session, id), bus);
        if (db <= kSendLowest) {
            if (was != nullptr) session = withSendRemoved(std::move(session), id, bus);
            continue;
        }
        Send send = was != nullptr ? *was : Send{};
        send.to = bus;
        send.on = true;
        send.levelDb = db;
        session = withSend(std::move(session), id, send);
    }
    return session;
}

}  // namespace ember
