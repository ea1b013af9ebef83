// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QElapsedTimer>
#include <QTimer>
#include <map>
#include <memory>
#include <mutex>

#include "base/plane.h"
#include "document/background.h"
#include "document/document.h"

namespace va {

/// The proof of the frame in hand, rendered beside the window: coarse at once, then finer, anew whenever shot or frame
/// change. A range that was rendered is kept and played back from memory.
class ProofLive : public QObject {
    Q_OBJECT
  public:
    explicit ProofLive(Document& document, QObject* parent = nullptr);
    ~ProofLive() override;

    /// How the plate view shows it.
    enum class Look { proof, plate, wipe, difference };
    void setLook(Look look);
    [[nodiscard]] Look look() const { return look_; }
    /// Where the wipe stands: share of the picture's width that shows the proof.
    void setWipe(double share);
    [[nodiscard]] double wipe() const { return wipe_; }

    /// Rendered only while somebody looks.
    void setOn(bool on);
    [[nodiscard]] bool on() const { return on_; }
    struct Shown {
        std::shared_ptr<const DisplayPicture> picture;  ///< may be smaller than the plate: a coarse one
        int samples = 0;                                ///< of every pixel; 0 = coarse
    };
    /// What there is of a frame; no picture where nothing is yet.
    [[nodiscard]] Shown of(int frame) const;
    /// All samples are there.
    [[nodiscard]] bool finished() const;
    /// How far it is, or why there is none.
    [[nodiscard]] QString words() const;
    /// Milliseconds from the last change to its first picture; −1 = none yet.
    [[nodiscard]] int firstPictureMs() const { return firstMs_; }

    /// Renders the work range into memory, for playback.
    void renderRange();
    void stopRange();
    [[nodiscard]] bool renderingRange() const { return range_ && background_.running(); }
    [[nodiscard]] int framesKept() const;
    /// Whole pictures by frame.
    [[nodiscard]] std::map<int, std::shared_ptr<const DisplayPicture>> kept() const;

  Q_SIGNALS:
    void changed();

  private:
    struct Worker;
    struct Results;
    void restart();
    void start();
    void renderFrames(const std::vector<int>& frames);
    [[nodiscard]] std::vector<int> framesWanted() const;

    Document& document_;
    std::shared_ptr<Worker> worker_;    ///< what the work keeps between runs
    std::shared_ptr<Results> results_;  ///< of this revision
    Background background_;
    QTimer wait_;
    QElapsedTimer since_;
    Look look_ = Look::proof;
    double wipe_ = 0.5;
    QString trouble_;
    quint64 revision_ = 0;
    ProofSpec spec_;
    int rendering_ = 0;  ///< frame
    int firstMs_ = -1;
    bool on_ = false, range_ = false, again_ = false;
};

}  // namespace va
