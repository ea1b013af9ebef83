// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QImage>
#include <QObject>
#include <memory>

#include "base/progress.h"
#include "media/plate_source.h"

namespace va {

/// Opens plates on a thread of its own while the window stays alive: a long movie's index, or a disk that does not
/// answer, can be looked at and cancelled.
class Opening : public QObject {
    Q_OBJECT
  public:
    explicit Opening(QObject* parent = nullptr);
    [[nodiscard]] bool running() const { return progress_ != nullptr; }
    [[nodiscard]] Progress::State state() const { return state_; }
    /// Comes back when the plate is open; events go on meanwhile. Throws InputError (also while another plate is being
    /// opened) and Cancelled.
    std::unique_ptr<PlateSource> open(const std::string& spec, const PlateOverrides& overrides);
    void cancel();

  Q_SIGNALS:
    void changed();
    /// The first picture of what is being opened, if that takes a while.
    void firstPicture(const QImage& picture);

  private:
    std::shared_ptr<Progress> progress_;
    Progress::State state_;
};

}  // namespace va
