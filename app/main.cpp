// SPDX-License-Identifier: GPL-3.0-or-later
// vivid-anchor [PLATE or PROJECT] [--match] [--shot FILE.png] [--step NAME] …: the window.
#include <QApplication>
#include <QCommandLineParser>
#include <QTimer>

#include "main_window/main_window.h"
#include "main_window/picture_run.h"
#include "media/isolated/plate_reader.h"
#include "media/isolated/reader_fork_server.h"
#include "style/theme.h"

int main(int argc, char** argv) {
    if (va::isPlateReader(argc, argv)) return va::runPlateReader(argc, argv);
    va::startPlateReaders();
    QApplication app(argc, argv);
    QApplication::setApplicationName("vivid-anchor");
    QApplication::setOrganizationName("vivid-anchor");
    QApplication::setApplicationVersion(VA_VERSION);
    QCommandLineParser parser;
    parser.setApplicationDescription("Matchmove: track, solve, ground, lay out, export.");
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument("file", "A plate or a .vanchor project");
    parser.addOption({"match", "Press Match shot after opening"});
    parser.addOption({"light", "Begin with the light look"});
    parser.addOption({"pictures",
                      "Match the plate, walk through the main views, write a PNG of each into this folder, and quit",
                      "folder"});
    parser.process(app);
    va::Theme::use(parser.isSet("light"));
    va::applyTheme(app);
    va::MainWindow window;
    window.show();
    if (!parser.positionalArguments().isEmpty()) window.openPath(parser.positionalArguments().first());
    if (parser.isSet("pictures")) {
        va::PictureRun run(window, parser.value("pictures"));
        return run.exec();
    }
    if (parser.isSet("match")) QTimer::singleShot(0, &window, [&] { window.document().matchShot(); });
    return QApplication::exec();
}
