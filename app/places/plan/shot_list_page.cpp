#include "shot_list_page.hpp"

#include "base/base.hpp"
#include "plan/shot_list.hpp"

#include <QAbstractTextDocumentLayout>
#include <QPainter>
#include <QPdfWriter>
#include <QTextDocument>
#include <cmath>

namespace refero::app {

namespace {

constexpr double largest_pt = 10, least_pt = 7, margin_mm = 11;

QString esc(const std::string& s) { return QString::fromStdString(s).toHtmlEscaped(); }

std::unique_ptr<QTextDocument> laid_out(const plan::ShotList& list, QPagedPaintDevice& device, double point_size) {
    auto document = std::make_unique<QTextDocument>();
    document->documentLayout()->setPaintDevice(&device);
    document->setDocumentMargin(0);
    // A trace of letter spacing keeps ligatures out, which would be missing when the page's text is searched or copied.
    QFont font("Lato");
    font.setLetterSpacing(QFont::AbsoluteSpacing, 0.05);
    document->setDefaultFont(font);
    document->setHtml(shot_list_html(list, point_size));
    document->setPageSize(QSizeF(device.pageLayout().paintRectPixels(device.logicalDpiX()).size()));
    return document;
}

} // namespace

QString shot_list_html(const plan::ShotList& list, double pt) {
    const QString small = QString("font-size:%1pt").arg(pt * 0.88);
    QString h = QString("<html><body style='font-size:%1pt; color:#000'>").arg(pt);
    h += QString("<p style='margin:0'><span style='font-size:%1pt; font-weight:600'>%2</span>&nbsp;&nbsp; %3</p>")
             .arg(pt * 1.6)
             .arg(esc(list.title), esc(list.date));
    h += QString("<p style='margin:0; %1'>%2</p>")
             .arg(small, QObject::tr("%1 chart shots under %2 lights. Schools: %3.")
                             .arg(list.shots())
                             .arg(list.groups.size())
                             .arg(esc(list.schools)));
    h += "<p style='margin:4px 0 0 0; " + small + "'>";
    for (const std::string& b : list.before) h += "\u2022 " + esc(b) + " ";
    h += "</p>";
    for (const plan::LightGroup& g : list.groups) {
        h +=
            QString("<p style='margin:8px 0 0 0'><b style='font-size:%1pt'>%2</b>&nbsp; <span style='%3'>%4</span></p>")
                .arg(pt * 1.15)
                .arg(esc(g.title), small, esc(g.about));
        for (const std::string& c : g.cautions) h += "<p style='margin:0; " + small + "'><b>!</b> " + esc(c) + "</p>";
        h += "<table width='100%' cellspacing='0' cellpadding='2' style='border-collapse:collapse' border='1'>";
        for (std::size_t i = 0; i < g.shots.size(); ++i) {
            const plan::PlannedShot& s = g.shots[i];
            QStringList hints;
            for (const std::string& hint : s.hints) {
                // What all shots before it under this light say too is not said again.
                const bool said = i > 0 && std::find(g.shots[i - 1].hints.begin(), g.shots[i - 1].hints.end(), hint) !=
                                               g.shots[i - 1].hints.end();
                if (!said) hints << esc(hint);
            }
            if (hints.size() < static_cast<int>(s.hints.size()))
                hints << (hints.isEmpty() ? QObject::tr("as above") : QObject::tr("else as above"));
            h += "<tr><td width='3%' align='center' style='vertical-align:middle'>" +
                 QString(s.done ? "\u2611" : "\u2610") + "</td><td width='19%'><b>" + esc(s.camera) +
                 "</b><br><span style='" + small + "'>" + esc(s.lens) + ", " + esc(s.mode) +
                 (s.balance_only ? "<br>" + QObject::tr("balance only") : QString()) + "</span></td><td width='22%'>" +
                 esc(s.chart) + "<br>" + esc(s.hold) + "</td><td width='42%' style='" + small + "'>" +
                 hints.join(". ") + "</td><td width='14%' style='" + small + "; color:#888'>" + QObject::tr("note") +
                 "</td></tr>";
        }
        h += "</table>";
    }
    const auto block = [&](const QString& title, const std::vector<std::string>& lines, const QString& between) {
        if (lines.empty()) return;
        QStringList all;
        for (const std::string& l : lines) all << esc(l);
        h += "<p style='margin:8px 0 0 0; " + small + "'><b>" + title + "</b> " + all.join(between) + "</p>";
    };
    block(QObject::tr("For the match:"), list.arrangement, " ");
    block(QObject::tr("Fallbacks still missing:"), list.fallbacks, "; ");
    h += "<p style='margin:8px 0 0 0; " + small + "'>" +
         QObject::tr("Follow local rules; have mains work done by a qualified person. Weigh stands down and tape "
                     "cables. Lights may be hot.") +
         "</p></body></html>";
    return h;
}

int paint_shot_list(const plan::ShotList& list, QPagedPaintDevice& device) {
    std::unique_ptr<QTextDocument> document;
    for (double pt = largest_pt; pt >= least_pt - 1e-9; pt -= 0.25) {
        document = laid_out(list, device, pt);
        if (document->pageCount() == 1) break;
    }
    QPainter painter(&device);
    const QSizeF page = document->pageSize();
    const int pages = document->pageCount();
    for (int i = 0; i < pages; ++i) {
        if (i) device.newPage();
        painter.save();
        painter.translate(0, -i * page.height());
        document->drawContents(&painter, QRectF(0, i * page.height(), page.width(), page.height()));
        painter.restore();
    }
    return pages;
}

int save_shot_list_pdf(const plan::ShotList& list, const std::filesystem::path& file) {
    int pages = 0;
    write_whole(file, [&](const std::filesystem::path& temporary) {
        QPdfWriter pdf(QString::fromStdString(temporary.string()));
        pdf.setResolution(150);
        pdf.setPageSize(QPageSize(QPageSize::A4));
        pdf.setPageMargins(QMarginsF(margin_mm, margin_mm, margin_mm, margin_mm), QPageLayout::Millimeter);
        pdf.setTitle(QObject::tr("Shot list: %1").arg(QString::fromStdString(list.title)));
        pdf.setCreator("Refero");
        pages = paint_shot_list(list, pdf);
        if (!std::filesystem::exists(temporary))
            throw Error(ErrorKind::internal, "cannot be written", file, "Check free space and permissions");
    });
    return pages;
}

} // namespace refero::app
