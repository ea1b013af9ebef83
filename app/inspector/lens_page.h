// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QButtonGroup>
#include <array>

#include "document/lens_edits.h"
#include "inspector/back_section.h"
#include "inspector/chart_section.h"
#include "inspector/edges_section.h"
#include "inspector/lens_write_section.h"
#include "inspector/page.h"

namespace va {

enum class LensSection { back, distortion, chart, edges, write };
inline constexpr int lensSections = 5;

/// The Lens step: one part of it at a time, chosen by a row of words. The distortion itself, its model, numbers and
/// what the solve found, stands here.
class LensPage : public Page {
    Q_OBJECT
  public:
    explicit LensPage(const PageContext& context);
    void refresh() override;
    void showSection(LensSection section);
    [[nodiscard]] LensSection section() const { return LensSection(chooser_->checkedId()); }
    [[nodiscard]] LensEdits::Writing writing() const { return write_->writing(); }

  Q_SIGNALS:
    void sectionShown(va::LensSection section);

  private:
    void edit(const QString& name, const std::function<void(CameraPriors&)>& change);
    void buildDistortion(const QMap<QString, QAction*>& actions);
    void refreshDistortion();

    Document& document_;
    LensEdits& edits_;
    QButtonGroup* chooser_;
    BackSection* back_;
    Page* distortion_;
    ChartSection* chart_;
    EdgesSection* edges_;
    LensWriteSection* write_;
    QComboBox *distortionKnown_, *model_;
    QLineEdit* profile_;
    std::array<std::vector<NumberField*>, lensKinds> numbers_;
    QLabel *solved_, *sure_, *note_;
};

}  // namespace va
