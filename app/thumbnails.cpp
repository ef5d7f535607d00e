#include "thumbnails.hpp"

#include <QDir>
#include <QSaveFile>
#include <QStandardPaths>

namespace refero::app {

namespace {
QString file_of(const std::string& key) {
    const QString name = QString::fromStdString(key);
    return QStandardPaths::writableLocation(QStandardPaths::GenericCacheLocation) + "/refero/thumbnails/" +
           name.left(2) + "/" + name + ".jpg";
}
} // namespace

QImage kept_thumbnail(const std::string& key) { return key.empty() ? QImage() : QImage(file_of(key)); }

void keep_thumbnail(const std::string& key, const QImage& image) {
    if (key.empty() || image.isNull()) return;
    const QString name = file_of(key);
    QDir().mkpath(QFileInfo(name).path());
    QSaveFile file(name);
    if (file.open(QIODevice::WriteOnly) && image.save(&file, "JPG", 88)) file.commit();
}

} // namespace refero::app
