// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QFrame>
#include <QImage>
#include <QLabel>
#include <QTimer>

#include "document/background.h"
#include "document/document.h"
#include "document/proof_live.h"
#include "document/slip_watch.h"
#include "workflow/stick_strip.h"

namespace va {

/// The strips themselves, one above the other. A click goes to a column's frame.
class StickPictures : public QWidget {
    Q_OBJECT
  public:
    explicit StickPictures(Document& document, QWidget* parent = nullptr);
    void show(std::shared_ptr<const StickStrip> strip);
    [[nodiscard]] const StickStrip* strip() const { return strip_.get(); }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

  private:
    Document& document_;
    std::shared_ptr<const StickStrip> strip_;
    QImage upright_, level_;
};

/// Does it stick: the stick strip of the selected thing's foot, or of a place that was pointed at, with the expected
/// slip and the measured wobble. Cut in the background while the panel is seen.
class StickPanel : public QFrame {
    Q_OBJECT
  public:
    StickPanel(Document& document, SlipWatch& slip, QWidget* parent = nullptr);
    /// Judges a place of the world instead of the selected thing, until another thing is selected.
    void judge(const Eigen::Vector3d& place, const Eigen::Vector3d& normal);
    /// With it the strip is cut from the proof where a range of that is in memory.
    void setProof(const ProofLive* live);
    [[nodiscard]] const StickStrip* strip() const { return pictures_->strip(); }
    [[nodiscard]] QString sentence() const { return words_->text(); }
    [[nodiscard]] bool busy() const { return background_.running() || wait_.isActive(); }

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    void ask();
    void cut();
    Document& document_;
    SlipWatch& slip_;
    StickPictures* pictures_;
    QLabel* words_;
    Background background_;
    QTimer wait_;
    const ProofLive* proof_ = nullptr;
    bool again_ = false;
    int shownThing_ = 0;
    size_t ofProof_ = 0;  ///< frames of the proof that the strip is cut from
    std::optional<std::pair<Eigen::Vector3d, Eigen::Vector3d>> pointed_;
};

}  // namespace va
