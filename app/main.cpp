// SPDX-License-Identifier: GPL-3.0-or-later
// vivid-anchor [PLATE or PROJECT] [--match] [--laid-out PROPS] [--light] [--pictures FOLDER]: the window.
#include <QApplication>
#include <QCommandLineParser>
#include <QSettings>
#include <QTimer>
#include <string_view>

#include "main_window/laid_out.h"
#include "main_window/main_window.h"
#include "main_window/picture_run.h"
#include "media/isolated/plate_reader.h"
#include "media/isolated/reader_fork_server.h"
#include "style/theme.h"

namespace {

void describe(QCommandLineParser& parser) {
    QCoreApplication::setApplicationName("vivid-anchor");
    QCoreApplication::setOrganizationName("vivid-anchor");
    QCoreApplication::setApplicationVersion(VA_VERSION);
    parser.setApplicationDescription("Matchmove: track, solve, ground, lay out, export.");
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument("file", "A plate or a .vanchor project");
    parser.addOption({"match", "Press Match shot after opening"});
    parser.addOption(
        {"laid-out", "Match the plate and lay the demo's yard out with the meshes of this folder", "folder"});
    parser.addOption({"light", "Begin with the light look"});
    parser.addOption({"pictures",
                      "Match the plate, walk through the main views, write a PNG of each into this folder, and quit",
                      "folder"});
}

/// Help and version need no display.
bool asksForText(int argc, char** argv) {
    for (int i = 1; i < argc; ++i)
        for (const std::string_view word : {"--help", "-h", "--help-all", "--version", "-v"})
            if (argv[i] == word) return true;
    return false;
}

}  // namespace

int main(int argc, char** argv) {
    if (va::isPlateReader(argc, argv)) return va::runPlateReader(argc, argv);
    QCommandLineParser parser;
    describe(parser);
    if (asksForText(argc, argv)) {
        const QCoreApplication text(argc, argv);
        parser.process(text);
        return 0;
    }
    va::startPlateReaders();
    QApplication app(argc, argv);
    parser.process(app);
    if (parser.isSet("pictures")) {
        // Pictures are of the window as it is at first, and leave alone what the artist's own one remembers.
        QCoreApplication::setOrganizationName("vivid-anchor-pictures");
        QSettings().clear();
    }
    va::Theme::use(parser.isSet("light"));
    va::applyTheme(app);
    va::MainWindow window;
    window.show();
    if (!parser.positionalArguments().isEmpty()) window.openPath(parser.positionalArguments().first());
    else if (!parser.isSet("pictures")) window.offerUnsaved();
    if (parser.isSet("pictures")) {
        va::PictureRun run(window, parser.value("pictures"));
        return run.exec();
    }
    if (parser.isSet("laid-out"))
        QTimer::singleShot(0, &window, [&] { va::openLaidOut(window, parser.value("laid-out")); });
    if (parser.isSet("match")) QTimer::singleShot(0, &window, [&] { window.document().matchShot(); });
    return QApplication::exec();
}
