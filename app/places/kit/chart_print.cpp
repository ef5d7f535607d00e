#include "chart_print.hpp"

#include <QBuffer>
#include <QDate>
#include <QPainter>
#include <QPdfWriter>

#include "model/text.hpp"
#include "ui/widgets/swatches.hpp"

namespace refero::app {

namespace {

constexpr double sheet_margin_mm = 18, mark_mm = 7, mark_gap_mm = 3, foot_mm = 14;
constexpr int dots_per_inch = 600;
constexpr double dots_per_mm = dots_per_inch / 25.4;

/// Two lines at a corner that meet where the patch array ends.
void draw_mark(QPainter& painter, const QPointF& corner, double x, double y) {
    painter.drawLine(
        QLineF(corner.x() + x * mark_gap_mm, corner.y(), corner.x() + x * (mark_gap_mm + mark_mm), corner.y()));
    painter.drawLine(
        QLineF(corner.x(), corner.y() + y * mark_gap_mm, corner.x(), corner.y() + y * (mark_gap_mm + mark_mm)));
}

} // namespace

void print_chart(const chart::Definition& d, const chart::Reference& reference, const std::filesystem::path& file,
                 Existing existing) {
    for (const chart::Patch& p : d.patches)
        if (!reference.xyz.contains(p.id))
            throw Error(ErrorKind::input, "patch " + p.id + " has no value to print", file,
                        "Give each patch a value first");
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    {
        QPdfWriter pdf(&buffer);
        pdf.setResolution(dots_per_inch);
        pdf.setTitle(QObject::tr("Chart %1").arg(qt(d.id)));
        pdf.setCreator("Refero");
        pdf.setPageMargins({0, 0, 0, 0});
        pdf.setPageSize(QPageSize(QSizeF(d.width_mm + 2 * sheet_margin_mm, d.height_mm + 2 * sheet_margin_mm + foot_mm),
                                  QPageSize::Millimeter, qt(d.id), QPageSize::ExactMatch));
        QPainter painter(&pdf);
        painter.scale(dots_per_mm, dots_per_mm);
        painter.translate(sheet_margin_mm, sheet_margin_mm);
        painter.setPen(Qt::NoPen);
        for (const chart::Patch& p : d.patches)
            painter.fillRect(QRectF(p.x_mm, p.y_mm, p.w_mm, p.h_mm), colour_of(reference.xyz.at(p.id)));
        painter.setPen(QPen(Qt::black, 0.15));
        draw_mark(painter, {0, 0}, -1, -1);
        draw_mark(painter, {d.width_mm, 0}, 1, -1);
        draw_mark(painter, {d.width_mm, d.height_mm}, 1, 1);
        draw_mark(painter, {0, d.height_mm}, -1, 1);
        QFont font;
        font.setPixelSize(3); // millimetres, by the scale
        painter.setFont(font);
        const QString words =
            QObject::tr("%1 \u2013 %2, %3 \u00d7 %4 mm, printed %5\nPrinted colours are not those of the file: let it "
                        "dry, measure this sheet, and bring its values before it is used.")
                .arg(qt(d.id), qt(d.title))
                .arg(d.width_mm, 0, 'g', 4)
                .arg(d.height_mm, 0, 'g', 4)
                .arg(QDate::currentDate().toString(Qt::ISODate));
        painter.drawText(QRectF(0, d.height_mm + mark_gap_mm + mark_mm, d.width_mm, foot_mm + sheet_margin_mm / 2),
                         Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, words);
    }
    write_whole(file, bytes.toStdString(), existing);
}

} // namespace refero::app
