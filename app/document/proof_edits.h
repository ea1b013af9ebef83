// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <functional>

#include "document/background.h"
#include "document/document.h"
#include "workflow/proof_run.h"

namespace va {

/// What the artist does to a proof: light, catchers, what lies in front, look, and writing it. Each change is one
/// undoable edit; troubles go to Document::troubled.
class ProofEdits : public QObject {
    Q_OBJECT
  public:
    explicit ProofEdits(Document& document, QObject* parent = nullptr);

    /// Changes what a proof goes by; steps with the same `merge` word become one.
    void change(const QString& name, const std::function<void(ProofSpec&)>& how, const QString& merge = {});
    /// One number of the table; out of its range it is refused with a sentence.
    void setNumber(const ProofNumber& number, double value);
    void setSun(const Eigen::Vector3d& toSun);
    /// A post and its shadow; the sun follows all posts.
    void addPost(const ShadowPost& post);
    void removePosts();
    /// Depth and tint of shadow from two spots of the frame in hand.
    void measureShadow(const Eigen::Vector2d& lit, const Eigen::Vector2d& shaded);
    void sunFromPlace();
    void northFromSun();
    /// Turns the sky picture until its brightest spot has the sun's direction over the ground.
    void skyToSun();
    /// A spot of the sky picture, 0..1 right and down, that is looked for in the plate.
    void markSkySpot(const Eigen::Vector2d& spot);
    [[nodiscard]] const std::optional<Eigen::Vector2d>& skySpot() const { return skySpot_; }
    /// Turns the sky picture until its marked spot lies where the frame in hand shows a pixel.
    void turnSkySpotTo(const Eigen::Vector2d& pixel);
    /// The colour of the sky's light from a grey spot in shadow.
    void pickSkyColour(const Eigen::Vector2d& grey);
    /// Haze from two dark spots, one near and one far.
    void measureHaze(const Eigen::Vector2d& near, const Eigen::Vector2d& far);
    /// Somebody turns the sun right now: the plate shows what it does to a post.
    void holdSun(bool held);
    [[nodiscard]] bool sunHeld() const { return sunHeld_; }
    /// What the selected thing is for the proof.
    void setPart(ProofPart part);
    /// Turns the selected lamp to the other selected thing, or to the thing nearest to it.
    void aimLight();

    void renderTo(const ProofOutput& output);
    void cancel() { background_.cancel(); }
    [[nodiscard]] bool running() const { return background_.running(); }
    [[nodiscard]] Progress::State state() const { return background_.state(); }
    [[nodiscard]] const QString& lastReport() const { return report_; }

  Q_SIGNALS:
    void changed();

  private:
    void apply(const QString& name, const std::function<Shot(const Shot&)>& how);
    [[nodiscard]] Picture frameInHand(const Shot& shot) const;
    Document& document_;
    Background background_;
    QString report_;
    std::optional<Eigen::Vector2d> skySpot_;
    bool sunHeld_ = false;
};

}  // namespace va
