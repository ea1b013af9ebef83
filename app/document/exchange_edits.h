// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QStringList>

#include "document/background.h"
#include "document/document.h"
#include "exchange/compare.h"
#include "workflow/export_run.h"
#include "workflow/import_scene.h"

namespace va {

/// What leaves the shot and what comes into it: exports that run beside the window, scenes taken from files,
/// comparisons, and the camera as text. Troubles go to Document::troubled.
class ExchangeEdits : public QObject {
    Q_OBJECT
  public:
    explicit ExchangeEdits(Document& document, QObject* parent = nullptr);

    /// Writes and verifies; exported() tells when it is done. Nothing happens while another export runs.
    void exportTo(const QString& folder, const ExportChoices& choices, const QStringList& words);
    void cancel() { background_.cancel(); }
    [[nodiscard]] bool running() const { return background_.running(); }
    [[nodiscard]] const ExportRun& lastRun() const { return run_; }
    /// Where it was written.
    [[nodiscard]] const QString& lastFolder() const { return folder_; }

    /// A scene file read, with what does not fit. Nothing where it can't be read; that was said.
    struct Offered {
        QString file;
        ForeignScene scene;
        std::vector<Misfit> misfits;
        QString camera;
    };
    [[nodiscard]] std::optional<Offered> offer(const QString& file);
    /// The same of a table on the clipboard.
    [[nodiscard]] std::optional<Offered> offerText(const QString& words);
    /// Takes it with the answers; false where that can't be, which was said.
    bool take(const Offered& offered, bool things);
    void unlockCamera();

    /// The shot's camera against a file's. Nothing where that can't be; that was said.
    [[nodiscard]] std::optional<CameraComparison> compareWith(const Offered& offered);

    /// The camera of the current frame, or of the work range, as a table that an editor shows and pasting takes back.
    [[nodiscard]] QString cameraText(bool wholeRange);
    [[nodiscard]] QString verdictText() const;

  Q_SIGNALS:
    void changed();
    void exported();

  private:
    [[nodiscard]] std::optional<Offered> offered(const QString& name, const std::function<ForeignScene()>& read);
    Document& document_;
    Background background_;
    ExportRun run_;
    QString folder_;
};

}  // namespace va
