// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>
#include <functional>

namespace va {

class MainWindow;
class PlateCanvas;

/// Walks the window through its main views on a plate and writes a picture of each: remakes docs/screenshots, and
/// stands in for a look at the demo where there is no display. It presses what a person would press; nothing is faked.
class PictureRun {
  public:
    PictureRun(MainWindow& window, const QString& folder) : window_(window), folder_(folder) {}
    /// 0 when all pictures were written.
    int exec();

  private:
    void waitUntil(const std::function<bool()>& done, int milliseconds);
    void settle();
    bool take(const QString& name);
    /// Straight edges, chart stills, camera back; the shot is as before afterwards.
    bool takeSolveTools();
    bool takeProof();
    bool takePhoto();
    bool takeStills();
    bool takeExchange();
    bool takeLensTools();
    /// Features by hand, curves, masks, a patch, prune.
    bool takeFeatureTools();
    void layOut(PlateCanvas& canvas);
    /// A thing over its tile while it is placed, the list, the stick strip, the flip-book.
    bool takeLayout();
    MainWindow& window_;
    QString folder_;
};

}  // namespace va
