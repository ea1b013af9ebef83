// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QCheckBox>
#include <QComboBox>
#include <QWidget>

#include "document/document.h"

namespace va {

/// What can be chosen of a plate's files: one of several moving pictures, one of several series of stills, an even grid
/// for a variable rate. Rows that have nothing to choose are hidden.
class PlateChoices : public QWidget {
    Q_OBJECT
  public:
    explicit PlateChoices(Document& document, QWidget* parent = nullptr);
    void refresh();

  private:
    void reopen(const QString& name, const std::string& spec, const PlateOverrides& overrides);
    Document& document_;
    QWidget *streamRow_, *seriesRow_;
    QComboBox *stream_, *series_;
    QCheckBox* even_;
};

}  // namespace va
