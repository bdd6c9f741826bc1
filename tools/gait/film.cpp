#include "film.hpp"

#include "options.hpp"
#include "quoting.hpp"

#include "files/write_file.hpp"
#include "rig/body_parts.hpp"

#include <cairo-svg.h>
#include <cairo.h>
#include <fmt/core.h>
#include <gif_lib.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <memory>

namespace gait::tool {
namespace {

constexpr double page_width = 1280, page_height = 800;

// Told apart in hue and in lightness, so that a grey print still tells them.
constexpr Colour left_colour{0.93, 0.60, 0.18}, right_colour{0.22, 0.46, 0.72}, middle_colour{0.60, 0.60, 0.58};

/// A direction to look along, as the page's right and up and the depth toward the eye.
struct Camera {
    Vec3 right, up, near;
};

Camera camera_for(View view) {
    if (view == View::above || view == View::path) {
        return {{0, 0, 1}, {1, 0, 0}, {0, 1, 0}};
    }                                                // forward to the right, her left up
    const double yaw = view == View::side ? 90 : 55; // degrees from her front
    const double pitch = view == View::side ? 0 : 8;
    const double y = yaw / degrees_per_radian, p = pitch / degrees_per_radian;
    // Seen from her right, so that forward goes to the right of the page.
    const Vec3 right{float(std::cos(y)), 0, float(std::sin(y))};
    const Vec3 near{float(-std::sin(y) * std::cos(p)), float(std::sin(p)), float(std::cos(y) * std::cos(p))};
    return {right, cross(near, right), near};
}

/// A polygon on the page, in metres.
struct Shape {
    std::array<Vec3, 3> corners; ///< x right, y up, z toward the eye
    Colour colour;
    double depth = 0;
    bool capsule = false; ///< from corner 0 to corner 1 with the radii in corner 2
};

class Drawing {
public:
    Drawing(const Rig& rig, const detail::SkinnedMesh& mesh, Camera camera) : rig_(rig), mesh_(mesh), camera_(camera) {
        for (const Joint& joint : rig.joints) {
            sides_.push_back(detail::sided_name(joint.name).side);
            by_side_.push_back(sides_.back() == detail::Side::left    ? left_colour
                               : sides_.back() == detail::Side::right ? right_colour
                                                                      : middle_colour);
        }
        height_ = std::max(rest_height(rig), 0.1);
        for (const Joint& joint : rig.joints) { bones_.push_back(double(length(joint.rest.translation))); }
    }

    /// The body's shapes, far ones first.
    [[nodiscard]] std::vector<Shape> shapes(const FilmBody& body) const { return shapes(body.pose, body.tint); }
    [[nodiscard]] std::vector<Shape> shapes(const std::vector<Transform>& pose, const std::vector<Colour>& tint) const {
        const auto model = model_space(rig_, pose);
        const std::vector<Colour>& colours = tint.empty() ? by_side_ : tint;
        std::vector<Shape> out = mesh_.triangles.empty() ? limbs(model, colours) : skin(model, colours);
        std::sort(out.begin(), out.end(), [](const Shape& a, const Shape& b) { return a.depth < b.depth; });
        return out;
    }

    [[nodiscard]] double height() const { return height_; }

private:
    [[nodiscard]] Vec3 project(Vec3 p) const {
        return {dot(p, camera_.right), dot(p, camera_.up), dot(p, camera_.near)};
    }

    [[nodiscard]] std::vector<Shape> skin(const std::vector<Transform>& model,
                                          const std::vector<Colour>& colours) const {
        std::vector<Matrix4> matrices(model.size());
        for (std::size_t j = 0; j < model.size(); ++j) {
            matrices[j] = to_matrix(model[j]) * rig_.joints[j].inverse_bind;
        }
        std::vector<Vec3> places;
        std::vector<Colour> tints;
        for (const detail::MeshVertex& v : mesh_.vertices) {
            Vec3 sum;
            Colour tint;
            for (std::size_t i = 0; i < 4; ++i) {
                if (v.weights[i] <= 0) { continue; }
                const auto& m = matrices[v.joints[i]].elements;
                const Vec3 p = v.position;
                const Vec3 moved{m[0] * p.x + m[4] * p.y + m[8] * p.z + m[12],
                                 m[1] * p.x + m[5] * p.y + m[9] * p.z + m[13],
                                 m[2] * p.x + m[6] * p.y + m[10] * p.z + m[14]};
                sum = sum + moved * v.weights[i];
                const Colour& own = colours[v.joints[i]];
                const auto part = double(v.weights[i]);
                tint = {tint.red + part * own.red, tint.green + part * own.green, tint.blue + part * own.blue};
            }
            places.push_back(project(sum));
            tints.push_back(tint);
        }
        std::vector<Shape> out;
        for (std::size_t t = 0; t + 2 < mesh_.triangles.size(); t += 3) {
            const std::array<std::uint32_t, 3> corner{mesh_.triangles[t], mesh_.triangles[t + 1],
                                                      mesh_.triangles[t + 2]};
            Shape shape;
            shape.corners = {places[corner[0]], places[corner[1]], places[corner[2]]};
            const Vec3 normal = cross(shape.corners[1] - shape.corners[0], shape.corners[2] - shape.corners[0]);
            if (normal.z <= 0) { continue; }
            const Colour tint = mixed(mixed(tints[corner[0]], tints[corner[1]], 0.5), tints[corner[2]], 1.0 / 3);
            const Vec3 base = mesh_.colour_of(t / 3);
            const double lightness = std::cbrt(0.3 * double(base.x) + 0.6 * double(base.y) + 0.1 * double(base.z));
            const double light =
                0.62 + 0.38 * double(dot(normal, Vec3{-0.35F, 0.7F, 0.62F})) / std::max(double(length(normal)), 1e-12);
            shape.colour = shaded(tint, (0.62 + 0.5 * lightness) * light);
            shape.depth = double(shape.corners[0].z + shape.corners[1].z + shape.corners[2].z) / 3;
            out.push_back(shape);
        }
        return out;
    }

    /// Without a skin: a tapered limb for each joint and its parent.
    [[nodiscard]] std::vector<Shape> limbs(const std::vector<Transform>& model,
                                           const std::vector<Colour>& colours) const {
        std::vector<bool> trunk(rig_.joints.size(), false); // carries limbs of both sides
        std::vector<int> below(rig_.joints.size(), 0);
        for (std::size_t j = rig_.joints.size(); j-- > 0;) {
            if (sides_[j] == detail::Side::left) { below[j] |= 1; }
            if (sides_[j] == detail::Side::right) { below[j] |= 2; }
            trunk[j] = below[j] == 3;
            if (rig_.joints[j].parent >= 0) { below[std::size_t(rig_.joints[j].parent)] |= below[j]; }
        }
        std::vector<Shape> out;
        for (std::size_t j = 0; j < rig_.joints.size(); ++j) {
            const int parent = rig_.joints[j].parent;
            if (parent < 0) { continue; }
            const Vec3 from = project(model[std::size_t(parent)].translation), to = project(model[j].translation);
            const double bone = double(length(model[j].translation - model[std::size_t(parent)].translation));
            // What moves away from its parent, as hips do from the place where they began, is no limb of it.
            if (bone > bones_[j] + 0.1 * height_) { continue; }
            const double radius =
                trunk[j] ? 0.065 * height_ : std::clamp(0.16 * bone, 0.010 * height_, 0.045 * height_);
            Shape shape;
            shape.capsule = true;
            shape.corners = {from, to, {float(radius), float(trunk[j] ? radius : 0.75 * radius), 0}};
            const double light = 0.9 + 0.25 * std::clamp(double(from.z + to.z) / 2 / (0.3 * height_), -1.0, 1.0);
            shape.colour = shaded(colours[j], light);
            shape.depth = double(from.z + to.z) / 2;
            out.push_back(shape);
        }
        return out;
    }

    static Colour shaded(Colour c, double light) {
        return {std::min(1.0, c.red * light), std::min(1.0, c.green * light), std::min(1.0, c.blue * light)};
    }

    const Rig& rig_;
    const detail::SkinnedMesh& mesh_;
    Camera camera_;
    std::vector<detail::Side> sides_;
    std::vector<Colour> by_side_; ///< a joint each
    std::vector<double> bones_;   ///< the length at rest of the bone to each joint
    double height_ = 1;
};

struct CairoFree {
    void operator()(cairo_surface_t* surface) const { cairo_surface_destroy(surface); }
    void operator()(cairo_t* context) const { cairo_destroy(context); }
};
using Surface = std::unique_ptr<cairo_surface_t, CairoFree>;
using Context = std::unique_ptr<cairo_t, CairoFree>;

cairo_status_t append(void* target, const unsigned char* data, unsigned int length) {
    static_cast<std::string*>(target)->append(reinterpret_cast<const char*>(data), length);
    return CAIRO_STATUS_SUCCESS;
}

void text(cairo_t* c, double x, double y, const std::string& any_words, double size, double align,
          Colour colour = {0.15, 0.15, 0.15}) {
    const std::string words = printable(any_words); // what is no UTF-8 would end the drawing
    cairo_select_font_face(c, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(c, size);
    cairo_text_extents_t extents;
    cairo_text_extents(c, words.c_str(), &extents);
    cairo_set_source_rgb(c, colour.red, colour.green, colour.blue);
    cairo_move_to(c, x - align * extents.x_advance, y);
    cairo_show_text(c, words.c_str());
    cairo_new_path(c); // or what is drawn next would begin where the text ends
}

void line(cairo_t* c, double x0, double y0, double x1, double y1, double width, Colour colour) {
    cairo_set_source_rgb(c, colour.red, colour.green, colour.blue);
    cairo_set_line_width(c, width);
    cairo_move_to(c, x0, y0);
    cairo_line_to(c, x1, y1);
    cairo_stroke(c);
}

/// The outline of two circles and what lies between them.
void capsule_path(cairo_t* c, double x0, double y0, double r0, double x1, double y1, double r1) {
    const double distance = std::hypot(x1 - x0, y1 - y0);
    if (distance <= std::fabs(r0 - r1) + 1e-9) {
        cairo_arc(c, r0 > r1 ? x0 : x1, r0 > r1 ? y0 : y1, std::max(r0, r1), 0, 2 * pi);
        return;
    }
    const double direction = std::atan2(y1 - y0, x1 - x0),
                 spread = std::acos(std::clamp((r0 - r1) / distance, -1.0, 1.0));
    cairo_arc(c, x0, y0, r0, direction + spread, direction - spread + 2 * pi);
    cairo_arc(c, x1, y1, r1, direction - spread, direction + spread);
    cairo_close_path(c);
}

/// Draws shapes with the body's origin at (x, y) of the page.
void draw_body(cairo_t* c, const std::vector<Shape>& shapes, double x, double y, double scale, double alpha = 1) {
    for (const Shape& shape : shapes) {
        const auto px = [&](const Vec3& v) { return x + scale * double(v.x); };
        const auto py = [&](const Vec3& v) { return y - scale * double(v.y); };
        const auto& [a, b, d] = shape.corners;
        if (shape.capsule) {
            capsule_path(c, px(a), py(a), scale * double(d.x), px(b), py(b), scale * double(d.y));
        } else {
            cairo_move_to(c, px(a), py(a));
            cairo_line_to(c, px(b), py(b));
            cairo_line_to(c, px(d), py(d));
            cairo_close_path(c);
        }
        cairo_set_source_rgba(c, shape.colour.red, shape.colour.green, shape.colour.blue, alpha);
        cairo_fill_preserve(c);
        // A hairline closes the cracks between triangles; a dark one sets limbs off from each other.
        if (shape.capsule) { cairo_set_source_rgba(c, 0.2, 0.2, 0.2, alpha); }
        cairo_set_line_width(c, shape.capsule ? 0.9 : 0.5);
        cairo_stroke(c);
    }
}

/// What a view shows of a body, metres on the page around its origin.
struct Extent {
    double left = 0, right = 0, bottom = 0, top = 0;
};

Extent extent_of(const Film& film, const Drawing& drawing) {
    Extent e;
    const auto add = [&](const FilmBody& body) {
        for (const Shape& shape : drawing.shapes(body)) {
            const std::size_t corners = shape.capsule ? 2 : 3;
            const double r = shape.capsule ? double(std::max(shape.corners[2].x, shape.corners[2].y)) : 0;
            for (std::size_t i = 0; i < corners; ++i) {
                e.left = std::min(e.left, double(shape.corners[i].x) - r);
                e.right = std::max(e.right, double(shape.corners[i].x) + r);
                e.bottom = std::min(e.bottom, double(shape.corners[i].y) - r);
                e.top = std::max(e.top, double(shape.corners[i].y) + r);
            }
        }
    };
    for (const FilmBody& body : film.bodies) { add(body); }
    if (film.end) { add(*film.end); }
    return e;
}

/// What the colours mean, up to the page's right edge.
void draw_key(cairo_t* c, const Film& film, double right, double y) {
    const std::vector<std::pair<Colour, std::string>> sides{{left_colour, "its left"}, {right_colour, "its right"}};
    const auto& key = film.key.empty() ? sides : film.key;
    double x = right;
    for (std::size_t i = key.size(); i-- > 0;) {
        const auto& [colour, word] = key[i];
        cairo_set_font_size(c, 13);
        cairo_text_extents_t extents;
        cairo_text_extents(c, word.c_str(), &extents);
        x -= extents.x_advance + 20;
        cairo_set_source_rgb(c, colour.red, colour.green, colour.blue);
        cairo_rectangle(c, x, y - 11, 14, 12);
        cairo_fill(c);
        text(c, x + 20, y, word, 13, 0);
        x -= 18;
    }
}

void draw_page(cairo_t* c, const Film& film, const Drawing& drawing, View view) {
    cairo_set_source_rgb(c, 1, 1, 1);
    cairo_paint(c);
    const Extent e = extent_of(film, drawing);
    const std::size_t cells = film.bodies.size() + (film.end ? 1 : 0);
    constexpr double margin = 40, head = 50, foot = 46;
    // The number of rows that lets the bodies be largest.
    std::size_t rows = 1;
    double scale = 0;
    for (std::size_t r = 1; r <= 4; ++r) {
        const std::size_t columns = (cells + r - 1) / r;
        const double across = (page_width - 2 * margin) / (double(columns) * (e.right - e.left + 0.12));
        const double up = ((page_height - head - 8) / double(r) - foot) / (e.top - e.bottom + 0.06);
        if (std::min(across, up) > scale) {
            scale = std::min(across, up);
            rows = r;
        }
    }
    const std::size_t columns = (cells + rows - 1) / rows;
    text(c, margin, 30, film.title, 16, 0);
    draw_key(c, film, page_width - margin, 30);
    // Where the page's width is what bounds the bodies, the rows lie in its middle.
    const double room = page_height - head - 8, row_height = scale * (e.top - e.bottom + 0.06) + foot;
    const double top = head + (room - double(rows) * row_height) / 2;
    const double cell_width = (page_width - 2 * margin) / double(columns);
    for (std::size_t row = 0; row < rows; ++row) {
        const double under = top + double(row + 1) * row_height, floor = under - foot + scale * e.bottom;
        const double line_y = view == View::above ? under - foot + 4 : floor;
        if (row * columns >= cells) { break; }
        line(c, margin, line_y, page_width - margin, line_y, 1.2, {0.55, 0.55, 0.55});
        // Half metres along the ground, at the scale of the bodies; of giants, as many times ten as can be told apart.
        constexpr double closest = 12; // units of the page
        double apart = 0.5;
        while (apart * scale < closest) { apart *= 10; }
        for (int tick = 0; tick * apart * scale <= page_width - 2 * margin; ++tick) {
            const double x = margin + tick * apart * scale;
            line(c, x, line_y, x, line_y + (tick % 2 == 0 ? 7 : 4), 1, {0.55, 0.55, 0.55});
            if (tick % 2 == 0) {
                text(c, x + 3, line_y + 12, tick == 0 ? "0 m" : fmt::format("{:g}", tick * apart), 9, 0,
                     {0.5, 0.5, 0.5});
            }
        }
        for (std::size_t column = 0; column < columns && row * columns + column < cells; ++column) {
            const std::size_t index = row * columns + column;
            const double x = margin + (double(column) + 0.5) * cell_width - scale * (e.left + e.right) / 2;
            const bool last = index == film.bodies.size();
            const FilmBody& body = last ? *film.end : film.bodies[index];
            if (last && film.start) {
                draw_body(c, drawing.shapes(*film.start), x, floor, scale);
                auto over = drawing.shapes(*film.end);
                for (Shape& shape : over) { shape.colour = {0.85, 0.10, 0.10}; }
                cairo_push_group(c);
                draw_body(c, over, x, floor, scale);
                cairo_pop_group_to_source(c);
                cairo_paint_with_alpha(c, 0.35);
            } else {
                draw_body(c, drawing.shapes(body), x, floor, scale);
            }
            const double middle = margin + (double(column) + 0.5) * cell_width;
            text(c, middle, under - 18, body.label, 12, 0.5);
            text(c, middle, under - 4, body.second_label, 11, 0.5, {0.4, 0.4, 0.4});
        }
    }
}

/// The world from above: ahead to the right of the page, her left up.
struct Ground {
    double x = 0, y = 0; ///< of the page: where the world's origin is
    double scale = 1;    ///< of the page, a metre
    [[nodiscard]] double across(double z) const { return x + scale * z; }
    [[nodiscard]] double up(double to_the_left) const { return y - scale * to_the_left; }
};

void draw_way(cairo_t* c, const Film& film, const Ground& ground) {
    for (const Footprint& print : film.footprints) {
        const Colour& colour = print.foot == 0 ? left_colour : right_colour;
        cairo_set_source_rgb(c, colour.red, colour.green, colour.blue);
        cairo_arc(c, ground.across(double(print.place.z)), ground.up(double(print.place.x)),
                  std::max(1.6, 0.05 * ground.scale), 0, 2 * pi);
        cairo_fill(c);
    }
    cairo_set_source_rgb(c, 0.45, 0.45, 0.45);
    cairo_set_line_width(c, 1);
    for (std::size_t i = 0; i < film.way.size(); ++i) {
        const double x = ground.across(film.way[i].z), y = ground.up(film.way[i].x);
        i == 0 ? cairo_move_to(c, x, y) : cairo_line_to(c, x, y);
    }
    cairo_stroke(c);
}

/// The whole way on one page, with the bodies on it.
void draw_path_page(cairo_t* c, const Film& film, const Drawing& drawing, const Rig& rig) {
    cairo_set_source_rgb(c, 1, 1, 1);
    cairo_paint(c);
    constexpr double margin = 60, room = 1; // units of the page, metres
    double low_z = -room, high_z = room, low_x = -room, high_x = room;
    for (const GroundPlace& place : film.way) {
        low_z = std::min(low_z, place.z - room);
        high_z = std::max(high_z, place.z + room);
        low_x = std::min(low_x, place.x - room);
        high_x = std::max(high_x, place.x + room);
    }
    Ground ground;
    ground.scale =
        std::min((page_width - 2 * margin) / (high_z - low_z), (page_height - 2 * margin) / (high_x - low_x));
    ground.x = page_width / 2 - ground.scale * (low_z + high_z) / 2;
    ground.y = page_height / 2 + ground.scale * (low_x + high_x) / 2;
    text(c, margin, 30, film.title, 16, 0);
    draw_key(c, film, page_width - margin, 30);
    draw_way(c, film, ground);
    for (const FilmBody& body : film.bodies) {
        const double x = ground.across(body.place.z), y = ground.up(body.place.x);
        draw_body(c, drawing.shapes(turned(body.pose, rig, body.place), body.tint), x, y, ground.scale);
        text(c, x, y - 0.6 * ground.scale - 4, body.label, 11, 0.5);
    }
    const double bar = ground.scale * std::max(1.0, std::floor((high_z - low_z) / 8));
    line(c, margin, page_height - 30, margin + bar, page_height - 30, 2, {0.3, 0.3, 0.3});
    text(c, margin, page_height - 14, fmt::format("{:.0f} m", bar / ground.scale), 11, 0);
}

std::optional<std::string> check(cairo_t* context) {
    const cairo_status_t status = cairo_status(context);
    if (status == CAIRO_STATUS_SUCCESS) { return std::nullopt; }
    return std::string("cannot be drawn: ") + cairo_status_to_string(status);
}

std::optional<std::string> draw_still(const Film& film, const Drawing& drawing, const Rig& rig, View view,
                                      const std::string& path) {
    std::string bytes;
    const bool svg = path.ends_with(".svg");
    const Surface surface(svg ? cairo_svg_surface_create_for_stream(append, &bytes, page_width, page_height)
                              : cairo_image_surface_create(CAIRO_FORMAT_RGB24, int(page_width), int(page_height)));
    {
        const Context context(cairo_create(surface.get()));
        if (view == View::path) {
            draw_path_page(context.get(), film, drawing, rig);
        } else {
            draw_page(context.get(), film, drawing, view);
        }
        if (auto problem = check(context.get())) { return problem; }
    }
    if (!svg && cairo_surface_write_to_png_stream(surface.get(), append, &bytes) != CAIRO_STATUS_SUCCESS) {
        return "cannot be drawn: the picture cannot be encoded";
    }
    cairo_surface_finish(surface.get());
    return detail::write_file(path, bytes);
}

int append_gif(GifFileType* gif, const GifByteType* data, int length) {
    static_cast<std::string*>(gif->UserData)->append(reinterpret_cast<const char*>(data), std::size_t(length));
    return length;
}

/// One picture a body, all from the same place.
std::optional<std::string> draw_animated(const Film& film, const Drawing& drawing, const Rig& rig, View view,
                                         const std::string& path) {
    constexpr int width = 420, height = 520;
    const Extent e = extent_of(film, drawing);
    const double scale = std::min((width - 40) / (e.right - e.left), (height - 70) / (e.top - e.bottom));
    const double x = width / 2.0 - scale * (e.left + e.right) / 2, floor = height - 44 + scale * e.bottom;

    // A fixed palette of 6 x 7 x 6 colours serves every picture.
    std::array<GifColorType, 256> palette{};
    for (int i = 0; i < 252; ++i) {
        palette[std::size_t(i)] = {GifByteType(i / 42 * 51), GifByteType(i / 6 % 7 * 255 / 6), GifByteType(i % 6 * 51)};
    }
    const std::unique_ptr<ColorMapObject, void (*)(ColorMapObject*)> map(GifMakeMapObject(256, palette.data()),
                                                                         GifFreeMapObject);
    std::string bytes;
    int error = 0;
    GifFileType* gif = EGifOpen(&bytes, append_gif, &error);
    if (gif == nullptr || !map) { return "cannot be drawn: no GIF can be made"; }
    EGifSetGifVersion(gif, true);
    const std::array<unsigned char, 3> forever{1, 0, 0};
    bool good = EGifPutScreenDesc(gif, width, height, 8, 0, map.get()) == GIF_OK &&
                EGifPutExtensionLeader(gif, APPLICATION_EXT_FUNC_CODE) == GIF_OK &&
                EGifPutExtensionBlock(gif, 11, "NETSCAPE2.0") == GIF_OK &&
                EGifPutExtensionBlock(gif, 3, forever.data()) == GIF_OK && EGifPutExtensionTrailer(gif) == GIF_OK;
    // Delays are hundredths of a second: what rounding leaves is carried over.
    double owed = 0;
    for (const FilmBody& body : film.bodies) {
        const Surface surface(cairo_image_surface_create(CAIRO_FORMAT_RGB24, width, height));
        const Context context(cairo_create(surface.get()));
        cairo_t* c = context.get();
        cairo_set_source_rgb(c, 1, 1, 1);
        cairo_paint(c);
        if (view == View::path) {
            // The picture goes with the body, over a ground marked every metre.
            constexpr double metre = 70;
            const Ground ground{width / 2.0 - metre * body.place.z, height / 2.0 + metre * body.place.x, metre};
            for (int m = -4; m <= 4; ++m) {
                const double z = std::floor(body.place.z) + m, across = std::floor(body.place.x) + m;
                line(c, ground.across(z), 0, ground.across(z), height - 30, 1, {0.78, 0.78, 0.78});
                line(c, 0, ground.up(across), width, ground.up(across), 1, {0.78, 0.78, 0.78});
            }
            draw_way(c, film, ground);
            draw_body(c, drawing.shapes(turned(body.pose, rig, body.place), body.tint), width / 2.0, height / 2.0,
                      metre);
        } else {
            line(c, 20, floor, width - 20, floor, 1.2, {0.6, 0.6, 0.6});
            draw_body(c, drawing.shapes(body), x, floor, scale);
        }
        text(c, width / 2.0, height - 12, body.label + (body.second_label.empty() ? "" : "  " + body.second_label), 13,
             0.5);
        cairo_surface_flush(surface.get());
        const unsigned char* pixels = cairo_image_surface_get_data(surface.get());
        const int stride = cairo_image_surface_get_stride(surface.get());
        owed += film.seconds_between * 100;
        const int delay = std::max(2, int(std::lround(owed)));
        owed -= delay;
        GraphicsControlBlock control{DISPOSE_DO_NOT, false, delay, NO_TRANSPARENT_COLOR};
        std::array<GifByteType, 4> extension{};
        EGifGCBToExtension(&control, extension.data());
        good = good && EGifPutExtension(gif, GRAPHICS_EXT_FUNC_CODE, 4, extension.data()) == GIF_OK &&
               EGifPutImageDesc(gif, 0, 0, width, height, false, nullptr) == GIF_OK;
        std::vector<GifByteType> row(width);
        for (int y = 0; good && y < height; ++y) {
            for (int column = 0; column < width; ++column) {
                const unsigned char* p = pixels + y * stride + column * 4; // blue, green, red
                row[std::size_t(column)] =
                    GifByteType((p[2] * 5 + 127) / 255 * 42 + (p[1] * 6 + 127) / 255 * 6 + (p[0] * 5 + 127) / 255);
            }
            good = EGifPutLine(gif, row.data(), width) == GIF_OK;
        }
    }
    good = EGifCloseFile(gif, &error) == GIF_OK && good;
    if (!good) { return "cannot be drawn: the GIF cannot be encoded"; }
    return detail::write_file(path, bytes);
}

} // namespace

std::vector<Transform> turned(const std::vector<Transform>& pose, const Rig& rig, const GroundPlace& place) {
    std::vector<Transform> out = pose;
    GroundPlace on_the_spot;
    on_the_spot.heading = place.heading;
    for (std::size_t j = 0; j < out.size(); ++j) {
        if (rig.joints[j].parent < 0) { out[j] = on_the_spot.transform() * out[j]; }
    }
    return out;
}

Colour mixed(const Colour& from, const Colour& to, double share) {
    return {from.red + (to.red - from.red) * share, from.green + (to.green - from.green) * share,
            from.blue + (to.blue - from.blue) * share};
}

Colour mask_tint(double weight) { return mixed({0.74, 0.73, 0.70}, {0.03, 0.50, 0.45}, weight); }

std::vector<std::pair<Colour, std::string>> mask_key(const std::string& mask) {
    return {{mask_tint(0), mask + ": 0"}, {mask_tint(0.5), "0.5"}, {mask_tint(1), "1"}};
}

Colour layer_colour(std::size_t layer) {
    // The lowest is the ground on which the others show.
    constexpr std::array<Colour, 6> colours{{{0.70, 0.69, 0.66},
                                             {0.10, 0.58, 0.50},
                                             {0.86, 0.45, 0.20},
                                             {0.48, 0.38, 0.75},
                                             {0.80, 0.70, 0.15},
                                             {0.75, 0.25, 0.45}}};
    return layer == 0 ? colours[0] : colours[1 + (layer - 1) % (colours.size() - 1)];
}

void add_film_options(CLI::App& command, std::string& film, View& view, double& slow) {
    static const std::map<std::string, View> views{
        {"three-quarters", View::three_quarters}, {"side", View::side}, {"above", View::above}, {"path", View::path}};
    command.add_option("--film", film, "draw the body at even instants; as .gif it moves")
        ->check(file_as("a film is drawn", {"png", "svg", "gif"}))
        ->type_name("FILE.png|svg|gif");
    command
        .add_option_function<std::string>(
            "--view", [&view](const std::string& name) { view = views.at(name); },
            "from where the film is seen: three-quarters, side, above, or along the path it goes")
        ->check(one_of({"three-quarters", "side", "above", "path"}))
        ->type_name("NAME");
    command.add_option("--slow", slow, "times as slow a moving film goes; 1 to 20")
        ->check(number_between(1, 20))
        ->type_name("N");
}

std::size_t moving_pictures(double seconds, double slow) {
    constexpr double a_second = 50, most = 1200; // what a GIF can show, and what fits a page
    return std::size_t(std::clamp(std::ceil(seconds * slow * a_second), 2.0, most));
}

std::optional<std::string> draw_film(const Film& film, const Rig& rig, const detail::SkinnedMesh& mesh, View view,
                                     const std::string& path) {
    const Drawing drawing(rig, mesh, camera_for(view));
    return path.ends_with(".gif") ? draw_animated(film, drawing, rig, view, path)
                                  : draw_still(film, drawing, rig, view, path);
}

} // namespace gait::tool
