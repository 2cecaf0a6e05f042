#include "core/session/printed.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/session/bleed.h"
#include "core/session/recipe.h"
#include "core/session/routing.h"

namespace ember {

bool isMade(const Row& row) {
    return isPart(row) || row.printed.has_value();
}

NewRow withPrintedRow(Session session, std::vector<Source> audio, PrintedOf printed) {
    Row& of = requireRow(session, printed.row);
    if (of.kind == RowKind::main || of.kind == RowKind::reference)
        throw Error("“" + of.name +
                    "” cannot be printed; print a row or a bus that feeds the main.");
    Row row;
    row.name =
        of.name + (printed.semitones == 0.0 ? std::string(" Printed")
                                            : " " + changeText(printed.semitones, 1) + " st");
    row.id = makeRowId(session, row.name);
    row.kind = RowKind::element;
    row.role = Role::sample;
    row.drum = of.drum;
    row.parent = of.parent;
    row.sources = std::move(audio);
    row.chain = makeChain(RowKind::element);
    row.chain.back().values = of.chain.back().values;
    row.chain.back().curves = of.chain.back().curves;
    row.printed = std::move(printed);
    of.mute = true;
    const std::string made = row.id;
    session.rows.push_back(std::move(row));
    seatRow(session, made);
    return {std::move(session), made};
}

Session withPrintedAnew(Session session, std::string_view id, std::vector<Source> audio,
                        PrintedOf printed) {
    Row& row = requireRow(session, id);
    if (!row.printed)
        throw Error("“" + row.name + "” was not printed of another row, so it cannot be anew.");
    row.sources = std::move(audio);
    row.printed = std::move(printed);
    return session;
}

bool printedIsNew(const Session& session, const Row& row) {
    return row.printed && findRow(session, row.printed->row) != nullptr &&
           row.printed->recipe == recipeOf(session, row.printed->row);
}

}  // namespace ember
