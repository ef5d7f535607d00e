#include "model/pictures/screen_colour.hpp"

#include <QDBusConnection>
#include <QDBusConnectionInterface>
#include <QDBusMessage>
#include <QDBusObjectPath>
#include <QFile>
#include <QGuiApplication>
#include <QScreen>

#include <lcms2.h>
#include <xcb/xcb.h>

#include "base/base.hpp"
#include "model/text.hpp"
#include "operations/display/displays.hpp"

namespace refero::app {

namespace {

constexpr int most_kept_kib = 300 * 1024;
constexpr qsizetype most_profile_bytes = 32 << 20;
constexpr int daemon_answers_ms = 300;

QByteArray content_of(const QString& file) {
    QFile f(file);
    return f.open(QFile::ReadOnly) ? f.read(most_profile_bytes) : QByteArray();
}

/// _ICC_PROFILE of the first screen, _ICC_PROFILE_1 of the next (ICC Profiles in X, 0.4).
QByteArray of_root_window(int screen) {
#if QT_CONFIG(xcb)
    const auto* x11 = qGuiApp->nativeInterface<QNativeInterface::QX11Application>();
    xcb_connection_t* c = x11 ? x11->connection() : nullptr;
    if (!c) return {};
    const QByteArray name = screen ? "_ICC_PROFILE_" + QByteArray::number(screen) : QByteArray("_ICC_PROFILE");
    const auto free_it = [](auto* p) { free(p); };
    const std::unique_ptr<xcb_intern_atom_reply_t, decltype(free_it)> atom(
        xcb_intern_atom_reply(c, xcb_intern_atom(c, 1, static_cast<std::uint16_t>(name.size()), name.constData()),
                              nullptr),
        free_it);
    const xcb_screen_t* root = xcb_setup_roots_iterator(xcb_get_setup(c)).data;
    if (!atom || !atom->atom || !root) return {};
    const std::unique_ptr<xcb_get_property_reply_t, decltype(free_it)> value(
        xcb_get_property_reply(
            c, xcb_get_property(c, 0, root->root, atom->atom, XCB_GET_PROPERTY_TYPE_ANY, 0, most_profile_bytes / 4),
            nullptr),
        free_it);
    if (!value) return {};
    return {static_cast<const char*>(xcb_get_property_value(value.get())), xcb_get_property_value_length(value.get())};
#else
    Q_UNUSED(screen)
    return {};
#endif
}

/// The colour daemon's, by the name of the output that the screen is on; nothing where there is none on the bus.
QByteArray of_colour_daemon(const QString& output) {
    QDBusConnection bus = QDBusConnection::systemBus();
    const QString service = "org.freedesktop.ColorManager";
    if (!bus.isConnected() || !bus.interface()->isServiceRegistered(service)) return {};
    QDBusMessage find =
        QDBusMessage::createMethodCall(service, "/org/freedesktop/ColorManager", service, "FindDeviceByProperty");
    find << "XRANDR_name" << output;
    const QDBusMessage device = bus.call(find, QDBus::Block, daemon_answers_ms);
    if (device.type() != QDBusMessage::ReplyMessage || device.arguments().isEmpty()) return {};
    const auto property = [&](const QString& path, const QString& interface, const QString& name) {
        QDBusMessage get = QDBusMessage::createMethodCall(service, path, "org.freedesktop.DBus.Properties", "Get");
        get << interface << name;
        const QDBusMessage answer = bus.call(get, QDBus::Block, daemon_answers_ms);
        return answer.arguments().isEmpty() ? QVariant() : answer.arguments().first().value<QDBusVariant>().variant();
    };
    const auto profiles = qdbus_cast<QList<QDBusObjectPath>>(
        property(device.arguments().first().value<QDBusObjectPath>().path(), service + ".Device", "Profiles"));
    if (profiles.isEmpty()) return {};
    return content_of(property(profiles.first().path(), service + ".Profile", "Filename").toString());
}

} // namespace

ScreenColour& ScreenColour::now() {
    static ScreenColour only;
    return only;
}

ScreenColour::ScreenColour() : name_(tr("sRGB (no profile of the screen is known)")), kept_(most_kept_kib) {}

void ScreenColour::use(const QByteArray& icc, const QString& name) {
    if (icc == icc_ && (icc.isEmpty() || name == name_)) return;
    std::shared_ptr<void> transform;
    if (!icc.isEmpty()) {
        const auto close = [](void* p) { cmsCloseProfile(p); };
        const std::unique_ptr<void, decltype(close)> screen(
            cmsOpenProfileFromMem(icc.constData(), static_cast<cmsUInt32Number>(icc.size())), close);
        if (!screen || cmsGetColorSpace(screen.get()) != cmsSigRgbData)
            throw Error(ErrorKind::input, "the screen's profile is none of an RGB display", name.toStdString(),
                        "Check the display on Monitor, or choose another profile for it");
        const std::unique_ptr<void, decltype(close)> srgb(cmsCreate_sRGBProfile(), close);
        transform = {cmsCreateTransform(srgb.get(), TYPE_BGRA_8, screen.get(), TYPE_BGRA_8,
                                        INTENT_RELATIVE_COLORIMETRIC,
                                        cmsFLAGS_BLACKPOINTCOMPENSATION | cmsFLAGS_COPY_ALPHA),
                     [](void* t) {
                         if (t) cmsDeleteTransform(t);
                     }};
        if (!transform)
            throw Error(ErrorKind::input, "the screen's profile cannot be used", name.toStdString(),
                        "Check the display on Monitor, or choose another profile for it");
    }
    transform_ = std::move(transform);
    icc_ = icc;
    name_ = icc.isEmpty() ? tr("sRGB (no profile of the screen is known)") : name;
    kept_.clear();
    emit changed();
}

QImage ScreenColour::shown(const QImage& srgb) const {
    if (!transform_ || srgb.isNull()) return srgb;
    if (const QImage* have = kept_.object(srgb.cacheKey())) return *have;
    QImage out = srgb.convertToFormat(QImage::Format_RGB32);
    out.detach();
    cmsDoTransformLineStride(transform_.get(), out.constBits(), out.bits(), static_cast<cmsUInt32Number>(out.width()),
                             static_cast<cmsUInt32Number>(out.height()),
                             static_cast<cmsUInt32Number>(out.bytesPerLine()),
                             static_cast<cmsUInt32Number>(out.bytesPerLine()), 0, 0);
    kept_.insert(srgb.cacheKey(), new QImage(out), out.sizeInBytes() / 1024);
    return out;
}

QString identity_of(const QScreen* s) {
    return s ? QString("%1|%2|%3").arg(s->manufacturer(), s->model(), s->serialNumber()) : QString();
}

QString due_of(const QScreen* screen, const shoot::Kit& kit) {
    const QString identity = identity_of(screen);
    for (const shoot::MonitorRecord& m : kit.monitors)
        if (!identity.isEmpty() && qt(m.screen) == identity)
            if (const auto due = operations::days_to_due(m, utc_now()); !due || *due < 0)
                return !due ? QObject::tr("never checked") : QObject::tr("check due since %1 days").arg(-*due);
    return {};
}

std::pair<QByteArray, QString> profile_of(const QScreen* screen, const shoot::Kit& kit) {
    const QString identity = identity_of(screen);
    for (const shoot::MonitorRecord& m : kit.monitors)
        if (!m.profile.empty() && !identity.isEmpty() && qt(m.screen) == identity)
            if (const QByteArray icc = content_of(qt(m.profile)); !icc.isEmpty()) return {icc, qt(m.name)};
    const QList<QScreen*> all = QGuiApplication::screens();
    const int at = static_cast<int>(all.indexOf(const_cast<QScreen*>(screen)));
    if (QByteArray icc = of_root_window(std::max(0, at)); !icc.isEmpty())
        return {icc, QObject::tr("the desktop's profile")};
    if (screen)
        if (QByteArray icc = of_colour_daemon(screen->name()); !icc.isEmpty())
            return {icc, QObject::tr("the colour daemon's profile")};
    return {};
}

} // namespace refero::app
