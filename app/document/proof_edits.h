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
    Document& document_;
    Background background_;
    QString report_;
};

}  // namespace va
