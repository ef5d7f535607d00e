#include "model/pictures/kept_pictures.hpp"

#include <QDir>
#include <QSaveFile>
#include <QStandardPaths>

namespace refero::app {

namespace {

constexpr std::size_t variant_digits = 16; ///< hexadecimal digits that tell variants of one file's picture apart

QString file_of(const std::string& key) {
    const QString name = QString::fromStdString(key);
    return QStandardPaths::writableLocation(QStandardPaths::GenericCacheLocation) + "/refero/thumbnails/" +
           name.left(2) + "/" + name + ".jpg";
}

} // namespace

std::string picture_key(const operations::FrameSource& s) {
    if (s.sha256.empty()) return {};
    std::string key = s.sha256;
    if (s.position_s > 0) key += formatted("-{:.0f}", 1000 * s.position_s);
    if (!s.encoding.empty()) key += "-" + sha256_of_text(s.encoding).substr(0, variant_digits);
    return key;
}

std::string corrected_key(const operations::FrameSource& source, const std::string& correction) {
    const std::string key = picture_key(source);
    return key.empty() ? key : key + "-" + sha256_of_text(correction).substr(0, variant_digits);
}

QImage kept_picture(const std::string& key) { return key.empty() ? QImage() : QImage(file_of(key)); }

void keep_picture(const std::string& key, const QImage& image) {
    if (key.empty() || image.isNull()) return;
    const QString name = file_of(key);
    QDir().mkpath(QFileInfo(name).path());
    QSaveFile file(name);
    if (file.open(QIODevice::WriteOnly) && image.save(&file, "JPG", 88)) file.commit();
}

namespace {
constexpr int board_width = 352;

std::string board_key(const QString& job) { return sha256_of_text("board of " + job.toStdString()); }
} // namespace

QImage kept_board(const QString& job) { return kept_picture(board_key(job)); }

void keep_board(const QString& job, const QImage& board) {
    if (!job.isEmpty() && !board.isNull())
        keep_picture(board_key(job), board.scaledToWidth(board_width, Qt::SmoothTransformation));
}

} // namespace refero::app
