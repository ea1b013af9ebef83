// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QTimer>
#include <memory>
#include <vector>

#include "document/background.h"
#include "document/document.h"
#include "solve/report/slip.h"

namespace va {

/// Keeps the uncertainty of the document's solve at hand: it is worked out in the background whenever the solve or the
/// work range changes.
class SlipWatch : public QObject {
    Q_OBJECT
  public:
    explicit SlipWatch(Document& document);

    struct Spot {
        Eigen::Vector3d world;
        double slipPx = 0;
    };
    struct Found {
        SlipField field;
        std::vector<Spot> ground;                  ///< an even choice of positions on the ground that the shot sees
        double groundLimitPx = 1;                  ///< a round number that nine tenths of them stay below
        std::vector<std::pair<int, double>> path;  ///< deviation of the camera's position by frame, world units
        double overPointsPx = -1;                  ///< root mean square of the slip at the solved points
        double nearPx = -1;                        ///< the same of places near the camera
    };
    /// Null until it is worked out, and where there is nothing to say.
    [[nodiscard]] std::shared_ptr<const Found> found() const { return found_; }
    /// px at a position of the world over the work range; negative where that can't be said.
    [[nodiscard]] double slipAt(const Eigen::Vector3d& world) const;

  Q_SIGNALS:
    void changed();

  private:
    void refresh();
    void workOut();
    Document& document_;
    std::shared_ptr<const Found> found_;
    std::shared_ptr<const SolveResult> from_;
    std::shared_ptr<const GroundFit> ground_;
    FrameRange range_;
    std::shared_ptr<const SlipField> field_;  ///< of `from_`, when it is known
    QTimer quiet_;
    bool stale_ = false;
    Background background_;
};

}  // namespace va
