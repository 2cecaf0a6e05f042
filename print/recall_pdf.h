// The recall sheet as pages on paper, or in whatever form is asked for.
#pragma once

#include "core/report/recall.h"

#include <filesystem>

namespace ember {

// A PDF of A4 pages with their numbers, replacing what is there in one step. Makes an application
// without a screen where there is none, so it also works on a command line. The thread of the
// application alone (the main thread). Throws Error.
void writeRecallPdf(const RecallSheet& sheet, const std::filesystem::path& file);
// In the form that the file's ending names: .html, .pdf, .csv or .md. Throws Error for others.
void writeRecall(const RecallSheet& sheet, const std::filesystem::path& file);

}  // namespace ember
