// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "document/layout_edits.h"
#include "inspector/page.h"

namespace va {

/// Keys of the selected thing: which there are, how it goes between, before and after them.
class KeysSection : public Page {
    Q_OBJECT
  public:
    KeysSection(Document& document, LayoutEdits& edits, const QMap<QString, QAction*>& actions);

  private:
    void refreshKeys();
    Document& document_;
    LayoutEdits& edits_;
    QComboBox *between_, *before_, *after_;
    NumberField *shift_, *stretch_;
    QLabel* note_;
};

}  // namespace va
