// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLineEdit>
#include <QListWidget>
#include <QSlider>
#include <functional>
#include <vector>

#include "document/feature_edits.h"
#include "document/proof_edits.h"
#include "document/proof_live.h"
#include "inspector/page.h"
#include "inspector/sun_dial.h"

namespace va {

/// The step Proof: light, what catches shadow, what lies in front, look, and writing it.
class ProofPage : public Page {
    Q_OBJECT
  public:
    explicit ProofPage(const PageContext& context);
    void refresh() override;

  private:
    void buildView(const PageContext& context);
    void buildSun(const PageContext& context);
    void buildSky(const PageContext& context);
    void buildCatchers(const PageContext& context);
    void buildThing(const PageContext& context);
    void buildFront();
    void buildLook(const PageContext& context);
    void buildPlace(const PageContext& context);
    void buildOutput();
    /// The field shows and edits one number of the table.
    void bind(NumberField* field, const ProofNumber& n);
    /// A row for one number of the table.
    NumberField* setting(const char* path);
    /// Three of them side by side.
    void colour(const QString& name, const char* red, const char* green, const char* blue);
    QCheckBox* toggle(const char* name, const QString& words, const std::function<bool&(ProofSpec&)>& of);
    void refreshLive();
    void write();

    Document& document_;
    FeatureEdits& features_;
    ProofEdits& edits_;
    ProofLive& live_;
    std::vector<std::function<void()>> refreshers_;
    QComboBox* look_ = nullptr;
    QSlider* wipe_ = nullptr;
    QLabel *words_ = nullptr, *sunNote_ = nullptr, *shadowNote_ = nullptr, *report_ = nullptr;
    SunDial* dial_ = nullptr;
    QLineEdit* to_ = nullptr;
    QPushButton *write_ = nullptr, *keep_ = nullptr;
    bool refreshing_ = false;
};

}  // namespace va
