// See alluvion.hpp.
#include "alluvion.hpp"

#include <algorithm>
#include <cassert>
#include <charconv>
#include <cmath>
#include <cstdio>
#include <cstring>

namespace alluvion {

namespace {

const char *const part_names[] = {"everyone", "scene", "self", "near"};
constexpr int everyone = 0, scene_part = 1, self_part = 2, near_part = 3;
constexpr double most_number = 9007199254740991.0;  // 2^53 - 1

// The most requests that wait for an answer.
constexpr std::size_t most_pending = 256;

// How long a player may have been on the way between two places, in milliseconds: who stood longer set out later.
constexpr std::int64_t longest_walk = 400;

// How many places are kept of each player, for drawing in between.
constexpr std::size_t places_kept = 32;

// How deep JSON may be.
constexpr int deepest = 100;

bool is_number(const Value *v) { return v && v->kind == Value::Kind::number && std::fabs(v->number) <= most_number; }
bool is_count(const Value *v) { return is_number(v) && v->number >= 0 && v->number == std::floor(v->number); }
bool is_text(const Value *v) { return v && v->kind == Value::Kind::text; }
bool is_truth(const Value *v) { return v && v->kind == Value::Kind::truth; }
bool is_object(const Value *v) { return v && v->kind == Value::Kind::object; }
bool is_list(const Value *v) { return v && v->kind == Value::Kind::list; }
std::uint64_t count_of(const Value *v) { return is_count(v) ? static_cast<std::uint64_t>(v->number) : 0; }
std::string text_of(const Value *v) { return is_text(v) ? v->text : std::string(); }

// Whether bytes are UTF-8 (RFC 3629).
bool is_utf8(std::string_view s) {
  for (std::size_t i = 0; i < s.size();) {
    const auto a = static_cast<unsigned char>(s[i]);
    const int more = a < 0x80 ? 0 : a >= 0xC2 && a < 0xE0 ? 1 : a >= 0xE0 && a < 0xF0 ? 2 : a >= 0xF0 && a < 0xF5 ? 3 : -1;
    if (more < 0 || i + more >= s.size()) return false;
    for (int k = 1; k <= more; k++)
      if ((static_cast<unsigned char>(s[i + k]) & 0xC0) != 0x80) return false;
    const unsigned char b = more > 0 ? static_cast<unsigned char>(s[i + 1]) : 0;
    if ((a == 0xE0 && b < 0xA0) || (a == 0xED && b > 0x9F) || (a == 0xF0 && b < 0x90) || (a == 0xF4 && b > 0x8F)) return false;
    i += more + 1;
  }
  return true;
}

void put_utf8(std::string &out, unsigned code) {
  auto put = [&](unsigned c) { out.push_back(static_cast<char>(c)); };
  if (code < 0x80) {
    put(code);
  } else if (code < 0x800) {
    put(0xC0 | code >> 6), put(0x80 | (code & 63));
  } else if (code < 0x10000) {
    put(0xE0 | code >> 12), put(0x80 | (code >> 6 & 63)), put(0x80 | (code & 63));
  } else {
    put(0xF0 | code >> 18), put(0x80 | (code >> 12 & 63)), put(0x80 | (code >> 6 & 63)), put(0x80 | (code & 63));
  }
}

// A number as ECMAScript prints it, which is what RFC 8785 asks for: the fewest digits that give it again.
std::string number_text(double x) {
  if (x == 0) return "0";
  if (x < 0) return "-" + number_text(-x);
  char raw[40];
  const auto end = std::to_chars(raw, raw + sizeof raw, x, std::chars_format::scientific).ptr;
  const std::string_view all(raw, static_cast<std::size_t>(end - raw));
  const auto e = all.find('e');
  std::string digits;
  for (char c : all.substr(0, e))
    if (c != '.') digits.push_back(c);
  while (digits.size() > 1 && digits.back() == '0') digits.pop_back();
  int exponent = 0;
  const char *from = all.data() + e + 1;
  if (*from == '+') from++;
  std::from_chars(from, end, exponent);
  const int point = exponent + 1, many = static_cast<int>(digits.size());
  if (point > 0 && point <= 21) {
    if (many <= point) return digits + std::string(static_cast<std::size_t>(point - many), '0');
    return digits.substr(0, static_cast<std::size_t>(point)) + "." + digits.substr(static_cast<std::size_t>(point));
  }
  if (point <= 0 && point > -6) return "0." + std::string(static_cast<std::size_t>(-point), '0') + digits;
  return digits.substr(0, 1) + (many > 1 ? "." + digits.substr(1) : "") + "e" + (point - 1 < 0 ? "-" : "+") + std::to_string(std::abs(point - 1));
}

void put_quoted(std::string &out, std::string_view s) {
  out.push_back('"');
  for (char c : s) {
    switch (c) {
      case '"': out += "\\\""; break;
      case '\\': out += "\\\\"; break;
      case '\b': out += "\\b"; break;
      case '\f': out += "\\f"; break;
      case '\n': out += "\\n"; break;
      case '\r': out += "\\r"; break;
      case '\t': out += "\\t"; break;
      default:
        if (static_cast<unsigned char>(c) < 32) {
          char hex[8];
          std::snprintf(hex, sizeof hex, "\\u%04x", c);
          out += hex;
        } else {
          out.push_back(c);
        }
    }
  }
  out.push_back('"');
}

// Whether a name comes before another by their UTF-16 units: letters beyond U+FFFF come before those from U+E000.
bool before(std::string_view a, std::string_view b) {
  for (std::size_t i = 0; i < std::min(a.size(), b.size()); i++) {
    const auto x = static_cast<unsigned char>(a[i]), y = static_cast<unsigned char>(b[i]);
    if (x == y) continue;
    if ((x == 0xEE || x == 0xEF) && y >= 0xF0) return false;
    if ((y == 0xEE || y == 0xEF) && x >= 0xF0) return true;
    return x < y;
  }
  return a.size() < b.size();
}

void put_canonical(std::string &out, const Value &v) {
  switch (v.kind) {
    case Value::Kind::none: out += "null"; return;
    case Value::Kind::truth: out += v.truth ? "true" : "false"; return;
    case Value::Kind::number: out += number_text(v.number); return;
    case Value::Kind::text: put_quoted(out, v.text); return;
    case Value::Kind::list: {
      out.push_back('[');
      for (std::size_t i = 0; i < v.items.size(); i++) {
        if (i) out.push_back(',');
        put_canonical(out, v.items[i]);
      }
      out.push_back(']');
      return;
    }
    case Value::Kind::object: {
      std::vector<std::size_t> order(v.names.size());
      for (std::size_t i = 0; i < order.size(); i++) order[i] = i;
      std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return before(v.names[a], v.names[b]); });
      out.push_back('{');
      for (std::size_t i = 0; i < order.size(); i++) {
        if (i) out.push_back(',');
        put_quoted(out, v.names[order[i]]);
        out.push_back(':');
        put_canonical(out, v.items[order[i]]);
      }
      out.push_back('}');
    }
  }
}

// Reads JSON; bad once something is none.
struct Reader {
  std::string_view text;
  std::size_t at = 0;
  bool bad = false;

  void space() {
    while (at < text.size() && (text[at] == ' ' || text[at] == '\t' || text[at] == '\r' || text[at] == '\n')) at++;
  }
  char peek() const { return at < text.size() ? text[at] : '\0'; }
  bool word(std::string_view w) {
    if (text.substr(at, w.size()) != w) return false;
    at += w.size();
    return true;
  }
  int hex4() {
    int n = 0;
    for (int i = 0; i < 4; i++, at++) {
      const char c = peek();
      const int d = c >= '0' && c <= '9' ? c - '0' : c >= 'a' && c <= 'f' ? c - 'a' + 10 : c >= 'A' && c <= 'F' ? c - 'A' + 10 : -1;
      if (d < 0) return -1;
      n = n * 16 + d;
    }
    return n;
  }
  std::string str() {
    std::string out;
    for (at++; at < text.size(); at++) {
      const char c = text[at];
      if (c == '"') {
        at++;
        return out;
      }
      if (static_cast<unsigned char>(c) < 32) break;
      if (c != '\\') {
        out.push_back(c);
        continue;
      }
      static const char from[] = "bfnrt\"\\/", to[] = "\b\f\n\r\t\"\\/";
      at++;
      const char *p = peek() ? std::strchr(from, peek()) : nullptr;
      if (p) {
        out.push_back(to[p - from]);
      } else if (peek() == 'u') {
        at++;
        int code = hex4();
        if (code >= 0xD800 && code < 0xDC00) {
          const int low = word("\\u") ? hex4() : -1;
          code = low >= 0xDC00 && low < 0xE000 ? 0x10000 + (code - 0xD800) * 0x400 + low - 0xDC00 : -1;
        }
        if (code < 0 || (code >= 0xD800 && code < 0xE000)) break;
        put_utf8(out, static_cast<unsigned>(code));
        at--;
      } else {
        break;
      }
    }
    bad = true;
    return out;
  }
  Value num() {
    const std::size_t from = at;
    auto some = [&] {
      const std::size_t begin = at;
      while (peek() >= '0' && peek() <= '9') at++;
      if (at == begin) bad = true;
    };
    if (peek() == '-') at++;
    if (peek() == '0') {
      at++;
    } else {
      some();
    }
    if (peek() == '.') at++, some();
    if (peek() == 'e' || peek() == 'E') {
      at++;
      if (peek() == '+' || peek() == '-') at++;
      some();
    }
    double n = 0;
    if (!bad) bad = std::from_chars(text.data() + from, text.data() + at, n).ec != std::errc() || !std::isfinite(n);
    return Value(n == 0 ? 0.0 : n);
  }
  Value value(int depth) {
    space();
    if (depth > deepest) bad = true;
    if (bad) return {};
    const char c = peek();
    if (c == '{' || c == '[') {
      Value out = c == '{' ? Value::object() : Value::list();
      const char ends = c == '{' ? '}' : ']';
      at++;
      space();
      if (peek() == ends) {
        at++;
        return out;
      }
      while (!bad) {
        if (c == '{') {
          space();
          if (peek() != '"') break;
          std::string name = str();
          space();
          if (bad || !word(":")) break;
          Value is = value(depth + 1);
          if (Value *twice = const_cast<Value *>(out.find(name))) {
            *twice = std::move(is);  // the last one counts
          } else {
            out.set(std::move(name), std::move(is));
          }
        } else {
          out.items.push_back(value(depth + 1));
        }
        space();
        if (peek() == ends) {
          at++;
          return out;
        }
        if (!word(",")) break;
      }
      bad = true;
      return {};
    }
    if (c == '"') return Value(str());
    if (word("true")) return Value(true);
    if (word("false")) return Value(false);
    if (word("null")) return {};
    return num();
  }
};

// Bits from the highest of each byte to the lowest; why says what is wrong once something is.
struct Bits {
  std::string_view data;
  std::size_t at;
  const char *why = nullptr;

  Bits(std::string_view d, std::size_t from) : data(d), at(from * 8) {}
  std::size_t left() const { return data.size() * 8 - at; }
  void fail(const char *w) {
    if (!why) why = w;
    at = data.size() * 8;
  }
  std::uint64_t read(int bits) {
    if (why) return 0;
    if (static_cast<std::size_t>(bits) > left()) return fail("The frame ends too early."), 0;
    std::uint64_t n = 0;
    while (bits > 0) {
      const int rest = 8 - static_cast<int>(at % 8), take = std::min(rest, bits);
      const auto byte = static_cast<unsigned char>(data[at / 8]);
      n = n << take | (static_cast<unsigned>(byte) >> (rest - take) & ((1u << take) - 1));
      at += static_cast<std::size_t>(take);
      bits -= take;
    }
    if (n > static_cast<std::uint64_t>(most_number)) return fail("A number is beyond 2^53 - 1."), 0;
    return n;
  }
  bool flag() { return read(1) == 1; }
  // A number in groups: one bit that says whether another follows, and so many of the number, the lowest group first.
  std::uint64_t groups(int bits) {
    std::uint64_t n = 0;
    for (int shift = 0; !why; shift += bits) {
      const bool more = flag();
      const std::uint64_t part = read(bits);
      if (shift > 56 || (n |= part << shift) > static_cast<std::uint64_t>(most_number)) fail("A number is beyond 2^53 - 1.");
      if (!more) break;
    }
    return why ? 0 : n;
  }
  std::uint64_t count() { return groups(4); }
  // How many things follow, of which each takes a bit at least: more than there are bits cannot be.
  std::uint64_t many() {
    const std::uint64_t n = count();
    if (n > left()) return fail("A count is greater than what follows."), 0;
    return n;
  }
  std::string text(std::uint64_t length) {
    std::string out;
    if (length > left() / 8) return fail("A text is longer than the frame."), out;
    for (; length > 0; length--) out.push_back(static_cast<char>(read(8)));
    if (!is_utf8(out)) fail("A text is not UTF-8.");
    return out;
  }
  void align() { at = (at + 7) / 8 * 8; }
};

struct Writer {
  std::string out;
  int at = 0;
  void write(std::uint64_t n, int bits) {
    for (int i = bits - 1; i >= 0; i--, at++) {
      if (at % 8 == 0) out.push_back('\0');
      if (n >> i & 1) out.back() = static_cast<char>(static_cast<unsigned char>(out.back()) | 0x80 >> at % 8);
    }
  }
  void varint(std::uint64_t n) {
    for (; n >= 128; n >>= 7) write(128 | (n & 127), 8);
    write(n, 8);
  }
};

// How many digits a number has behind its point.
int digits(double n) {
  const std::string t = number_text(n);
  const auto e = t.find('e'), point = t.find('.');
  int many = point == std::string::npos ? 0 : static_cast<int>((e == std::string::npos ? t.size() : e) - point) - 1;
  if (e != std::string::npos) many -= std::atoi(t.c_str() + e + 1);
  return std::max(0, many);
}

// Numbers that are steps above a least one: (low + n * step) / scale in whole numbers, so that one division is all that is rounded.
struct Steps {
  double low = 0, step = 1, scale = 1;
  Steps() = default;
  Steps(double least, double wide) {
    scale = std::pow(10.0, std::max(digits(least), digits(wide)));
    low = std::round(least * scale);
    step = std::round(wide * scale);
    auto gcd = [](double a, double b) {
      for (a = std::fabs(a); b != 0;) {
        const double r = std::fmod(a, b);
        a = b, b = r;
      }
      return a;
    };
    const double by = gcd(gcd(low, step), scale);
    low /= by, step /= by, scale /= by;
  }
  double value(std::uint64_t n) const { return (low + static_cast<double>(n) * step) / scale + 0.0; }
  double nearest(double x) const { return std::floor((x * scale - low) / step + 0.5); }
};

// How values of one domain are written in bits.
struct Code {
  std::string kind;
  bool optional = false;
  int bits = 0;
  Steps steps;
  std::uint64_t codes = 0, most = 0;
  std::vector<std::string> options, letters;
  int letter_bits = 0;
  std::unique_ptr<Code> item;

  Value read(Bits &s) const {
    if (kind == "number" || kind == "option") {
      const std::uint64_t n = s.read(bits), many = kind == "number" ? codes : options.size();
      if (n < many) return kind == "number" ? Value(steps.value(n)) : Value(options[n]);
      if (n != many || !optional) s.fail("A number or an option is none of those that there are.");
      return {};
    }
    if (optional && !s.flag()) return {};
    if (kind == "truth") return Value(s.flag());
    const std::uint64_t length = s.read(bits);
    if (length > most) return s.fail("A text or a list is longer than it may be."), Value();
    if (kind == "list") {
      Value out = Value::list();
      for (std::uint64_t i = 0; i < length && !s.why; i++) out.items.push_back(item->read(s));
      return out;
    }
    if (letters.empty()) return Value(s.text(length));
    std::string out;
    for (std::uint64_t i = 0; i < length && !s.why; i++) {
      const std::uint64_t n = s.read(letter_bits);
      if (n >= letters.size()) return s.fail("A letter is none of the alphabet."), Value();
      out += letters[n];
    }
    return Value(std::move(out));
  }
  // Whether a value in text is of this type. What is built in and was not given a value yet is none too.
  bool fits(const Value &v) const {
    if (v.kind == Value::Kind::none) return true;
    if (kind == "number") return is_number(&v);
    if (kind == "truth") return v.kind == Value::Kind::truth;
    if (kind != "list") return v.kind == Value::Kind::text;
    return is_list(&v) && std::all_of(v.items.begin(), v.items.end(), [&](const Value &x) { return item->fits(x); });
  }
  bool same(const Code *other) const {
    return other && kind == other->kind && optional == other->optional && (item ? item->same(other->item.get()) : !other->item);
  }
};

std::unique_ptr<Code> code_of(const Value *v) {
  if (!is_object(v)) return nullptr;
  auto c = std::make_unique<Code>();
  c->kind = text_of(v->find("kind"));
  c->optional = is_truth(v->find("optional")) && v->find("optional")->truth;
  c->bits = static_cast<int>(count_of(v->find("bits")));
  c->codes = count_of(v->find("codes"));
  c->most = count_of(v->find("most"));
  if (c->kind == "number") c->steps = Steps(is_number(v->find("min")) ? v->find("min")->number : 0, is_number(v->find("step")) ? v->find("step")->number : 1);
  if (is_list(v->find("options")))
    for (const Value &x : v->find("options")->items) c->options.push_back(x.text);
  const std::string all = text_of(v->find("letters"));
  for (std::size_t i = 0; i < all.size();) {
    std::size_t next = i + 1;
    while (next < all.size() && (static_cast<unsigned char>(all[next]) & 0xC0) == 0x80) next++;
    c->letters.push_back(all.substr(i, next - i));
    i = next;
  }
  while ((std::size_t(1) << c->letter_bits) < c->letters.size()) c->letter_bits++;
  c->item = code_of(v->find("item"));
  if (c->bits > 53 || (c->kind == "list" && !c->item)) return nullptr;
  for (const char *kind : {"number", "option", "truth", "text", "list"})
    if (c->kind == kind) return c;
  return nullptr;
}

std::string name_of(const std::string &key) { return key.substr(0, key.find('[')); }

std::string copy_in(const std::string &key) {
  const auto at = key.find('[');
  return at == std::string::npos ? std::string() : key.substr(at + 1, key.size() - at - 2);
}

// An address is what stands in a view for a value: a key, and behind @ the player whose it is.
std::pair<std::string, std::string> split(const std::string &address) {
  const auto at = address.find('@');
  if (at == std::string::npos) return {std::string(), address};
  return {address.substr(at + 1), address.substr(0, at)};
}

const char *why_of(int code) {
  switch (code) {
    case 1000: return "The visit has ended.";
    case 1001: return "The session is closing; everybody is saved.";
    case 1003: return "What was sent is not understood.";
    case 1009: return "What was sent is too large.";
    case 4002: return "The player has come in from another machine.";
    case 4003: return "This machine did not read.";
    case 4004: return "Nothing was heard of this machine.";
    case 4005: return "Too much of what was asked for was refused.";
    case 4006: return "The token is not good for this, or has run out.";
    case 4007: return "The player cannot join.";
  }
  return nullptr;
}

}  // namespace

namespace detail {

// One field of one holder.
struct Slot {
  std::string name, form;
  int part = 0;
  bool players = false;
  std::unique_ptr<Code> code;
  Value start;
  std::vector<std::string> copies;
  // What stands for each copy in a view, without the player: the name, and the copy in brackets.
  std::vector<std::string> keys;

  bool has(std::string_view copy) const { return std::find(copies.begin(), copies.end(), copy) != copies.end(); }
};

struct Holder {
  std::uint64_t copies = 1;
  int copy_bits = 0;
  bool players = false;
  std::vector<const Slot *> parts[4];  // in near stand those of the scene
};

// A layout, made ready for reading.
struct Shape {
  std::string game, plan;
  double ticks = 1;
  int seats = 0, kinds = 0, scene_bits = 0, facing_bits = 0;
  std::size_t axes = 0;
  double step = 1;
  bool near = false;
  std::vector<std::string> facings;
  struct Scene {
    std::string id;
    std::vector<Steps> axes;
    std::vector<int> bits;
  };
  std::vector<Scene> scenes;
  std::vector<std::unique_ptr<Slot>> slots;
  std::unordered_map<std::string, const Slot *> by_name;
  std::vector<Holder> holders;

  const Slot *slot(std::string_view name) const {
    const auto it = by_name.find(std::string(name));
    return it == by_name.end() ? nullptr : it->second;
  }
  int scene(std::string_view id) const {
    for (std::size_t i = 0; i < scenes.size(); i++)
      if (scenes[i].id == id) return static_cast<int>(i);
    return -1;
  }
};

struct Set {
  std::string player, key;
  Value value;
};

// What a frame changes in one part.
struct Change {
  int part = 0;
  bool whole = false;
  // Players of whom nothing is known any more: in this part, or in all.
  std::vector<std::pair<std::string, bool>> forget;
  std::vector<std::pair<std::string, std::string>> gone;
  std::vector<Set> set;
};

struct Frame {
  std::int64_t tick = 0, time = 0;
  std::uint64_t done = 0;
  bool check = false, seated = false;
  std::vector<Change> changes;
  std::vector<Told> told;
  std::map<std::uint64_t, std::string> seats;
};

static std::unique_ptr<Shape> shape_of(const Value &v) {
  auto s = std::make_unique<Shape>();
  const Value *places = v.find("places"), *holders = v.find("holders"), *format = v.find("alluvion_layout");
  if (!is_number(format) || (format->number != 1 && format->number != 2) || !is_object(places) || !is_list(holders)) return nullptr;
  s->game = text_of(v.find("game"));
  s->plan = text_of(v.find("plan"));
  s->ticks = is_number(v.find("ticks")) ? v.find("ticks")->number : 1;
  s->seats = static_cast<int>(count_of(v.find("seats")));
  s->kinds = static_cast<int>(count_of(v.find("kinds")));
  s->scene_bits = static_cast<int>(count_of(places->find("scene_bits")));
  s->facing_bits = static_cast<int>(count_of(places->find("facing_bits")));
  s->step = is_number(places->find("step")) ? places->find("step")->number : 1;
  if (!is_list(places->find("axes")) || !is_list(places->find("scenes")) || s->step <= 0) return nullptr;
  s->axes = places->find("axes")->items.size();
  if (is_list(places->find("facings")))
    for (const Value &x : places->find("facings")->items) s->facings.push_back(x.text);
  for (const Value &x : places->find("scenes")->items) {
    Shape::Scene scene;
    scene.id = text_of(x.find("id"));
    const Value *low = x.find("low"), *bits = x.find("bits");
    if (!is_list(low) || !is_list(bits) || low->items.size() != s->axes || bits->items.size() != s->axes) return nullptr;
    for (std::size_t i = 0; i < s->axes; i++) {
      scene.axes.emplace_back(low->items[i].number, s->step);
      scene.bits.push_back(static_cast<int>(count_of(&bits->items[i])));
      if (scene.bits.back() > 53) return nullptr;
    }
    s->near = s->near || (is_truth(x.find("near")) && x.find("near")->truth);
    s->scenes.push_back(std::move(scene));
  }
  for (const Value &x : holders->items) {
    Holder h;
    const Value *copies = x.find("copies"), *fields = x.find("fields");
    if (!is_list(copies) || !is_list(fields)) return nullptr;
    h.copies = std::max<std::uint64_t>(copies->items.size(), 1);
    h.copy_bits = static_cast<int>(count_of(x.find("copy_bits")));
    h.players = is_truth(x.find("players")) && x.find("players")->truth;
    for (const Value &f : fields->items) {
      auto slot = std::make_unique<Slot>();
      slot->name = text_of(f.find("name"));
      slot->form = text_of(f.find("form"));
      slot->players = h.players;
      slot->code = code_of(f.find("code"));
      if (f.find("start")) slot->start = *f.find("start");
      if (slot->form == "value" && !slot->code) return nullptr;
      for (int part = 0; part < 3; part++)
        if (text_of(f.find("part")) == part_names[part]) slot->part = part;
      for (const Value &copy : copies->items) {
        slot->copies.push_back(copy.text);
        slot->keys.push_back(slot->name + "[" + copy.text + "]");
      }
      if (slot->keys.empty()) slot->keys.push_back(slot->name);
      h.parts[slot->part].push_back(slot.get());
      s->by_name[slot->name] = slot.get();
      s->slots.push_back(std::move(slot));
    }
    h.parts[near_part] = h.parts[scene_part];
    s->holders.push_back(std::move(h));
  }
  return s;
}

static bool told_of(const Value *v, std::vector<Told> &into) {
  if (!v) return true;
  if (!is_list(v)) return false;
  for (const Value &x : v->items) {
    if (!is_object(&x) || !is_text(x.find("kind"))) return false;
    Told t;
    t.kind = text_of(x.find("kind")), t.player = text_of(x.find("player")), t.text = text_of(x.find("text")), t.key = text_of(x.find("key"));
    t.id = text_of(x.find("id")), t.scene = text_of(x.find("scene")), t.from = text_of(x.find("from"));
    t.rule = static_cast<int>(std::min<std::uint64_t>(count_of(x.find("rule")), 1u << 30));
    into.push_back(std::move(t));
  }
  return true;
}

// Reads a frame in bits. It changes nothing: what is malformed half way has done no harm.
struct Packed {
  const Shape &shape;
  Bits s;
  Frame &frame;

  Value place() {
    Value out = Value::object();
    const std::uint64_t n = s.read(shape.scene_bits);
    if (s.why || n >= shape.scenes.size()) return s.fail("A place is in a scene that there is not."), out;
    const auto &scene = shape.scenes[n];
    out.set("scene", scene.id);
    Value at = Value::list();
    for (std::size_t i = 0; i < scene.axes.size(); i++) at.items.emplace_back(scene.axes[i].value(s.read(scene.bits[i])));
    out.set("at", std::move(at));
    const std::uint64_t facing = s.read(shape.facing_bits);
    if (facing > shape.facings.size()) return s.fail("A place faces a way that there is not."), out;
    if (facing > 0) out.set("facing", shape.facings[facing - 1]);
    return out;
  }
  const std::string *sitting(std::uint64_t seat) const {
    const auto it = frame.seats.find(seat);
    return it == frame.seats.end() ? nullptr : &it->second;
  }
  Value value(const Slot &slot) {
    if (slot.form == "value") return slot.code->read(s);
    if (slot.form == "id") return Value(s.text(s.count()));
    if (slot.form == "spot") return s.flag() ? place() : Value();
    if (slot.form == "place") {
      Value out = place();
      const std::int64_t time = s.flag() ? frame.time - static_cast<std::int64_t>(s.read(10)) : static_cast<std::int64_t>(s.count());
      out.set("time", static_cast<double>(time) / 1000);
      if (const std::uint64_t arrival = s.count()) out.set("arrival", static_cast<double>(arrival));
      return out;
    }
    if (slot.form == "thing") {
      if (s.flag()) return place();
      Value out = Value::object();
      const std::string *holder = sitting(s.read(shape.seats));
      if (!holder) return s.fail("A movable is held by a seat that nobody has."), out;
      out.set("holder", *holder);
      return out;
    }
    const bool runs = s.flag(), below = s.flag();  // a stopwatch
    const std::uint64_t ms = s.count();
    const double reads = ms == 0 ? 0 : (below ? -1.0 : 1.0) * static_cast<double>(ms) / 1000;
    if (!runs) return Value(reads);
    Value out = Value::object();
    out.set("since", reads);
    return out;
  }
  struct Key {
    const std::vector<const Slot *> *slots = nullptr;
    std::uint64_t copy = 0, seat = 0;
    bool first = false, players = false;
  };
  Key key(int part, const std::uint64_t *seat) {
    Key k;
    const std::uint64_t n = s.read(shape.kinds);
    if (s.why || n >= shape.holders.size()) return s.fail("A value has a holder that there is not."), k;
    const Holder &h = shape.holders[n];
    k.copy = s.read(h.copy_bits);
    if (s.why || k.copy >= h.copies) return s.fail("A value is of something that there is not."), k;
    k.slots = &h.parts[part];
    k.first = n == 0;
    k.players = h.players;
    if (h.players) k.seat = seat ? *seat : s.read(shape.seats);
    return k;
  }
  void groups(Change &change, const std::uint64_t *seat) {
    for (std::uint64_t n = s.many(); n > 0 && !s.why; n--) {
      const Key k = key(change.part, seat);
      if (s.why) return;
      const std::string *sits = k.players ? sitting(k.seat) : nullptr;
      if (k.players && !sits) continue;
      const std::string player = sits ? *sits : std::string();
      if (change.part == everyone && k.first) {
        change.forget.emplace_back(player, true);
        frame.seats.erase(k.seat);
      }
      for (const Slot *slot : *k.slots) change.gone.emplace_back(player, slot->keys[k.copy]);
    }
    for (std::uint64_t n = s.many(); n > 0 && !s.why; n--) {
      const Key k = key(change.part, seat);
      if (s.why) return;
      std::vector<const Slot *> set;
      for (const Slot *slot : *k.slots)
        if (k.slots->size() == 1 || s.flag()) set.push_back(slot);
      for (const Slot *slot : set) {
        Value is = value(*slot);
        if (s.why) return;
        if (slot->form == "id") {
          frame.seats[k.seat] = is.text;
          is = Value(true);
        }
        const std::string *sits = k.players ? sitting(k.seat) : nullptr;
        if (k.players && !sits) return s.fail("A value is of a seat that nobody has.");
        change.set.push_back({sits ? *sits : std::string(), slot->keys[k.copy], std::move(is)});
      }
    }
  }
  const char *read() {
    const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(s.data[i]); };
    if (s.data.size() < (shape.near ? 3u : 2u) || byte(0) != (shape.near ? 3 : 1)) return "This is no frame of this layout.";
    const unsigned flags = byte(1);
    s.at = shape.near ? 24 : 16;
    frame.tick = static_cast<std::int64_t>(s.groups(7));
    frame.time = static_cast<std::int64_t>(s.groups(7));
    frame.done = s.groups(7);
    frame.check = flags & 64;
    frame.seated = true;
    for (int part = 0; part < 4 && !s.why; part++) {
      const unsigned how = part == near_part ? (shape.near ? byte(2) : 0) : flags >> (2 * part) & 3;
      if (how > 2) return "A part is neither whole nor what has changed.";
      if (how == 0) continue;
      Change change;
      change.part = part;
      change.whole = how == 2;
      if (part == near_part) {
        for (std::uint64_t n = s.many(); n > 0 && !s.why; n--)
          if (const std::string *sits = sitting(s.read(shape.seats))) change.forget.emplace_back(*sits, false);
        for (std::uint64_t n = s.many(); n > 0 && !s.why; n--) {
          const std::uint64_t theirs = s.read(shape.seats);
          const std::string *sits = sitting(theirs);
          if (!sits) return "Somebody near has a seat that nobody has.";
          if (s.flag()) change.forget.emplace_back(*sits, false);
          groups(change, &theirs);
        }
      } else {
        groups(change, nullptr);
      }
      s.align();
      frame.changes.push_back(std::move(change));
    }
    if (s.why) return s.why;
    if (flags & 128) {
      Value told;
      if (!parse(s.data.substr(s.at / 8), told) || !told_of(&told, frame.told)) return "The notifications are not a list of objects.";
    }
    return nullptr;
  }
};

static bool is_place(const Shape &shape, const Value &v) {
  if (!is_object(&v) || !is_text(v.find("scene")) || !is_list(v.find("at")) || v.find("at")->items.size() != shape.axes) return false;
  for (const Value &x : v.find("at")->items)
    if (!is_number(&x)) return false;
  return true;
}

// Whether a value in text is of the type that its field has.
static bool fits(const Shape &shape, const Slot &slot, const Value &v) {
  if (slot.form == "id") return v.kind == Value::Kind::truth && v.truth;
  if (slot.form == "place") return is_place(shape, v) && is_number(v.find("time"));
  if (slot.form == "spot") return v.kind == Value::Kind::none || is_place(shape, v);
  if (slot.form == "thing") return is_place(shape, v) || (is_object(&v) && is_text(v.find("holder")));
  if (slot.form == "watch") return is_number(&v) || (is_object(&v) && is_number(v.find("since")));
  return !slot.code || slot.code->fits(v);
}

static const char *read_text(const Shape &shape, const Value &m, bool near, Frame &frame) {
  const Value *time = m.find("time");
  if (!is_count(m.find("tick")) || !is_number(time) || time->number < 0 || !is_count(m.find("done"))) return "A frame does not say which it is.";
  frame.tick = static_cast<std::int64_t>(count_of(m.find("tick")));
  frame.time = std::llround(time->number * 1000);
  frame.done = count_of(m.find("done"));
  frame.check = is_truth(m.find("check")) && m.find("check")->truth;
  if (!told_of(m.find("told"), frame.told)) return "The notifications are not a list of objects.";
  for (int part = 0; part < (near ? 4 : 3); part++) {
    const Value *x = m.find(part_names[part]);
    if (!x) continue;
    const Value *gone = x->find("gone"), *set = x->find("set"), *whole = x->find("whole");
    if (!is_object(x) || (gone && !is_list(gone)) || (set && !is_object(set))) return "A part is none.";
    Change change;
    change.part = part;
    change.whole = is_truth(whole) && whole->truth;
    if (gone)
      for (const Value &address : gone->items) {
        if (!is_text(&address)) return "A part is none.";
        change.gone.push_back(split(address.text));
      }
    for (std::size_t i = 0; set && i < set->items.size(); i++) {
      auto [player, key] = split(set->names[i]);
      const Slot *slot = shape.slot(name_of(key));
      if (slot && !fits(shape, *slot, set->items[i])) return "A value is not of its type.";
      change.set.push_back({player, key, set->items[i]});
    }
    frame.changes.push_back(std::move(change));
  }
  return nullptr;
}

}  // namespace detail

using detail::Change;
using detail::Frame;
using detail::Shape;
using detail::Slot;

// Values

Value Value::list(std::vector<Value> items) {
  Value out;
  out.kind = Kind::list;
  out.items = std::move(items);
  return out;
}

Value Value::object() {
  Value out;
  out.kind = Kind::object;
  return out;
}

const Value *Value::find(std::string_view name) const {
  if (kind == Kind::object)
    for (std::size_t i = 0; i < names.size(); i++)
      if (names[i] == name) return &items[i];
  return nullptr;
}

Value &Value::set(std::string name, Value is) {
  names.push_back(std::move(name));
  items.push_back(std::move(is));
  return *this;
}

bool Value::operator==(const Value &other) const {
  if (kind != other.kind) return false;
  switch (kind) {
    case Kind::none: return true;
    case Kind::truth: return truth == other.truth;
    case Kind::number: return number == other.number;
    case Kind::text: return text == other.text;
    case Kind::list: return items == other.items;
    case Kind::object: break;
  }
  return canonical(*this) == canonical(other);
}

std::string canonical(const Value &value) {
  std::string out;
  put_canonical(out, value);
  return out;
}

bool parse(std::string_view text, Value &into) {
  if (!is_utf8(text)) return false;
  Reader r{text};
  Value is = r.value(1);
  r.space();
  if (r.bad || r.at != text.size()) return false;
  into = std::move(is);
  return true;
}

std::string sha256(std::string_view text) {
  static const std::uint32_t k[64] = {
      0x428a2f98, 0x71374491, 0xb5c0fbcf, 0xe9b5dba5, 0x3956c25b, 0x59f111f1, 0x923f82a4, 0xab1c5ed5, 0xd807aa98, 0x12835b01, 0x243185be, 0x550c7dc3, 0x72be5d74,
      0x80deb1fe, 0x9bdc06a7, 0xc19bf174, 0xe49b69c1, 0xefbe4786, 0x0fc19dc6, 0x240ca1cc, 0x2de92c6f, 0x4a7484aa, 0x5cb0a9dc, 0x76f988da, 0x983e5152, 0xa831c66d,
      0xb00327c8, 0xbf597fc7, 0xc6e00bf3, 0xd5a79147, 0x06ca6351, 0x14292967, 0x27b70a85, 0x2e1b2138, 0x4d2c6dfc, 0x53380d13, 0x650a7354, 0x766a0abb, 0x81c2c92e,
      0x92722c85, 0xa2bfe8a1, 0xa81a664b, 0xc24b8b70, 0xc76c51a3, 0xd192e819, 0xd6990624, 0xf40e3585, 0x106aa070, 0x19a4c116, 0x1e376c08, 0x2748774c, 0x34b0bcb5,
      0x391c0cb3, 0x4ed8aa4a, 0x5b9cca4f, 0x682e6ff3, 0x748f82ee, 0x78a5636f, 0x84c87814, 0x8cc70208, 0x90befffa, 0xa4506ceb, 0xbef9a3f7, 0xc67178f2};
  std::uint32_t h[8] = {0x6a09e667, 0xbb67ae85, 0x3c6ef372, 0xa54ff53a, 0x510e527f, 0x9b05688c, 0x1f83d9ab, 0x5be0cd19};
  std::string all(text);
  all.push_back('\x80');
  while (all.size() % 64 != 56) all.push_back('\0');
  for (int i = 7; i >= 0; i--) all.push_back(static_cast<char>(static_cast<std::uint64_t>(text.size()) * 8 >> (8 * i)));
  const auto turn = [](std::uint32_t x, int by) { return x >> by | x << (32 - by); };
  for (std::size_t block = 0; block < all.size(); block += 64) {
    std::uint32_t w[64];
    for (int i = 0; i < 64; i++) {
      if (i < 16) {
        const auto *p = reinterpret_cast<const unsigned char *>(all.data()) + block + i * 4;
        w[i] = static_cast<std::uint32_t>(p[0]) << 24 | static_cast<std::uint32_t>(p[1]) << 16 | static_cast<std::uint32_t>(p[2]) << 8 | p[3];
      } else {
        w[i] = w[i - 16] + (turn(w[i - 15], 7) ^ turn(w[i - 15], 18) ^ w[i - 15] >> 3) + w[i - 7] + (turn(w[i - 2], 17) ^ turn(w[i - 2], 19) ^ w[i - 2] >> 10);
      }
    }
    std::uint32_t a = h[0], b = h[1], c = h[2], d = h[3], e = h[4], f = h[5], g = h[6], z = h[7];
    for (int i = 0; i < 64; i++) {
      const std::uint32_t one = z + (turn(e, 6) ^ turn(e, 11) ^ turn(e, 25)) + ((e & f) ^ (~e & g)) + k[i] + w[i];
      const std::uint32_t two = (turn(a, 2) ^ turn(a, 13) ^ turn(a, 22)) + ((a & b) ^ (a & c) ^ (b & c));
      z = g, g = f, f = e, e = d + one, d = c, c = b, b = a, a = one + two;
    }
    h[0] += a, h[1] += b, h[2] += c, h[3] += d, h[4] += e, h[5] += f, h[6] += g, h[7] += z;
  }
  std::string out;
  for (std::uint32_t x : h) {
    char hex[9];
    std::snprintf(hex, sizeof hex, "%08x", x);
    out += hex;
  }
  return out;
}

// The machine

struct Machine::Request {
  std::uint64_t number = 0;
  bool sent = false;
  Value ask;
  std::shared_ptr<Place> to;  // of a move
  Done done;
};

struct Machine::Queued {
  std::string text;
  std::shared_ptr<Request> request;  // instead of a text
};

struct Machine::Track {
  std::vector<std::pair<std::int64_t, Place>> steps;
};

Machine::Machine(const Plan &plan, Joining joining) : plan_(plan), joining_(std::move(joining)) {
  Value layout;
  if (plan.runtime == runtime && parse(plan.layout, layout)) shape_ = detail::shape_of(layout);
  assert(shape_ && "alluvion: the generated file is not for this runtime; write both anew");
  if (!shape_) {  // nothing can be read by it
    shape_ = std::make_unique<Shape>();
    state_ = State::ended;
    end_ = "The generated file is not for this runtime; write both anew.";
  }
  ticks_ = shape_->ticks;
}

Machine::~Machine() = default;

std::string Machine::address(std::string_view base, std::string_view session) const {
  const auto escaped = [](std::string_view s) {
    std::string out;
    for (char c : s) {
      if (std::strchr("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-._~", c) && c) {
        out.push_back(c);
      } else {
        char hex[4];
        std::snprintf(hex, sizeof hex, "%%%02X", static_cast<unsigned char>(c));
        out += hex;
      }
    }
    return out;
  };
  std::string out(base);
  if (!out.empty() && out.back() == '/') out.pop_back();
  if (out.compare(0, 4, "http") == 0) out = "ws" + out.substr(4);
  return out + "/v1/games/" + escaped(shape_->game) + "/sessions/" + escaped(session) + "/live";
}

std::vector<std::string> Machine::protocols() const {
  const std::string kind = joining_.packed ? "packed" : "json";
  return {"alluvion." + kind + ".2", "alluvion." + kind + ".1"};
}

void Machine::opened(std::string_view protocol) {
  near_ = protocol.empty() ? shape_->near : protocol.size() > 2 && protocol.substr(protocol.size() - 2) == ".2";
  refusal_.clear();
  Value hello = Value::object();
  hello.set("is", "hello").set("player", joining_.player).set("plan", shape_->plan).set("checks", joining_.checks);
  if (joining_.slot > 0) hello.set("slot", joining_.slot);
  if (!joining_.token.empty()) hello.set("token", joining_.token);
  if (joining_.simulated) hello.set("simulated", true);
  if (!joining_.picks.empty()) {
    Value picks = Value::object();
    for (const auto &[name, option] : joining_.picks) picks.set(name, option);
    hello.set("picks", std::move(picks));
  }
  if (!run_.empty() && !asks_whole_) hello.set("run", run_).set("tick", static_cast<double>(tick_));
  queue_.clear();
  queue_.push_back({canonical(hello), nullptr});
  for (const auto &r : requests_) r->sent = false;
  become(State::joining);
  tell();
}

void Machine::begin(double now) {
  assert(!busy_ && "alluvion: received, lost, advance and learned may not be called from a callback");
  busy_ = true;
  heard_ = now;
}

void Machine::received(std::string_view data, double now) {
  if (busy_) assert(false && "alluvion: received may not be called from a callback");
  if (busy_) return;
  begin(now);
  const char *why = nullptr;
  if (!data.empty() && (data[0] == 1 || data[0] == 3)) {
    Frame frame;
    frame.seats = seats_;
    why = detail::Packed{*shape_, Bits(data, 0), frame}.read();
    if (!why) take_frame(frame, now);
  } else {
    Value m;
    why = parse(data, m) ? take(m, now) : "This is no JSON.";
  }
  if (why) {
    trouble("malformed", why);
    want_whole(now);
  }
  busy_ = false;
  tell();
}

void Machine::lost(int code, double now, std::string_view reason) {
  if (busy_) assert(false && "alluvion: lost may not be called from a callback");
  if (busy_) return;
  begin(now);
  queue_.clear();
  if (state_ != State::ended && state_ != State::fetch) {
    std::string why = refusal_;
    if (why.empty()) why = std::string(reason);
    if (why.empty() && why_of(code)) why = why_of(code);
    if (why.empty()) why = "The connection was lost (" + std::to_string(code) + ").";
    switch (code) {
      case 1000: case 1003: case 1009: case 4001: case 4002: case 4005: case 4006: case 4007: {
        end_code_ = code;
        end_ = why;
        const auto requests = requests_;
        for (const auto &r : requests)
          if (code == 1000 && text_of(r->ask.find("is")) == "leave") {
            Outcome o;
            o.is = Outcome::Is::applied, o.number = r->number;
            settle(r, o);
          }
        give_up(why);
        become(State::ended);
        break;
      }
      default: {
        // Twice as long each time, up to eight seconds, and not the same for everybody.
        unsigned spread = 0;
        for (char c : joining_.player) spread = (spread * 31 + static_cast<unsigned char>(c)) % 65536;
        retry_in_ = std::min(8.0, 0.25 * std::pow(2.0, std::min(tries_++, 10))) * (0.75 + spread / 131072.0);
        // A move that was sent may have been applied, and the newest says where the player is.
        std::vector<std::shared_ptr<Request>> moves;
        for (const auto &r : requests_)
          if (r->to) moves.push_back(r);
        for (std::size_t i = 0; i + 1 < moves.size(); i++) {
          Outcome o;
          o.number = moves[i]->number, o.why = "The connection was lost before it was confirmed.";
          settle(moves[i], o);
        }
        become(State::lost);
      }
    }
  }
  busy_ = false;
  tell();
}

bool Machine::learned(std::string_view layout) {
  if (busy_) assert(false && "alluvion: learned may not be called from a callback");
  Value v;
  std::unique_ptr<Shape> next = !busy_ && parse(layout, v) ? detail::shape_of(v) : nullptr;
  if (!next) return false;
  busy_ = true;
  std::vector<std::string> gone;
  for (const auto &was : shape_->slots) {
    const Slot *is = next->slot(was->name);
    const bool still = is && is->form == was->form && is->players == was->players && (was->code ? was->code->same(is->code.get()) : !is->code) &&
                       std::all_of(was->copies.begin(), was->copies.end(), [&](const std::string &c) { return is->has(c); });
    if (!still) gone.push_back(was->name);
  }
  if (!gone.empty()) {
    end_code_ = 4001;
    end_ = "The session has another plan than this game was built with.";
    trouble("plan-changed", end_, gone);
    give_up(end_);
    become(State::ended);
  } else {
    shape_ = std::move(next);
    run_.clear();
    fetch_.clear();
    retry_in_ = 0;
    become(State::lost);
  }
  busy_ = false;
  tell();
  return true;
}

std::vector<Out> Machine::outgoing() {
  std::vector<Out> out;
  for (auto &x : queue_) {
    if (!x.request) {
      out.push_back({std::move(x.text), false});
      continue;
    }
    x.request->sent = true;
    out.push_back(written(*x.request));
  }
  queue_.clear();
  if (!out.empty()) spoke_ = heard_;
  return out;
}

void Machine::advance(double now) {
  if (busy_) assert(false && "alluvion: advance may not be called from a callback");
  if (busy_) return;
  quiet_ = std::max(0.0, now - heard_);
  if (state_ == State::in && now - spoke_ > 15) {
    spoke_ = now;
    queue_.push_back({"{\"is\":\"ping\"}", nullptr});
  }
  if (state_ == State::in && asks_whole_ && now - asked_whole_ > 2) want_whole(now);
  tell();
}

void Machine::renew(std::string token, Done done) {
  joining_.token = std::move(token);
  if (state_ == State::ended && end_code_ == 4006) {
    end_.clear();
    end_code_ = 0;
    retry_in_ = 0;
    become(State::lost);
    tell();
  }
  if (state_ != State::in) return;
  Value ask = Value::object();
  ask.set("is", "token").set("token", joining_.token);
  request(std::move(ask), std::move(done));
}

// Reading

const Value *Machine::known(std::string_view name, std::string_view copy, const std::string &owner) const {
  const Slot *slot = shape_->slot(name);
  if (!slot) return nullptr;
  std::string key(name);
  if (!copy.empty()) key.append("[").append(copy).append("]");
  const auto in = [&](int part) -> const Value * {
    const auto has = parts_[part].find(owner);
    if (has == parts_[part].end()) return nullptr;
    const auto is = has->second.find(key);
    return is == has->second.end() ? nullptr : &is->second;
  };
  const Value *is = in(slot->part);
  if (!is && slot->part == scene_part) is = in(near_part);
  if (is || copy.empty()) return is;
  return sees(name, copy, owner, scene()) ? &slot->start : nullptr;
}

const Value *Machine::value(std::string_view name, std::string_view copy, std::string_view player) const {
  const Slot *slot = shape_->slot(name);
  if (!slot) return nullptr;
  return known(name, copy, !slot->players ? std::string() : player.empty() ? joining_.player : std::string(player));
}

bool Machine::sees(std::string_view name, std::string_view copy, const std::string &owner, const std::string &here) const {
  const Slot *slot = shape_->slot(name);
  if (here.empty() || !slot->has(copy)) return false;
  if (slot->players) {
    return parts_[everyone].count(owner) > 0 &&
           (slot->part == everyone || owner == joining_.player || (slot->part == scene_part && known("player.place", {}, owner)));
  }
  if (slot->part != scene_part) return true;
  if (name.substr(0, 5) == "prop.") {
    const std::string kind(name.substr(5, name.find('.', 5) - 5));
    for (const auto &[prop, scene] : plan_.props)
      if (prop.first == kind && prop.second == copy) return scene == here;
    return false;
  }
  return name.substr(0, 6) != "scene." || copy == here;
}

std::string Machine::scene() const {
  const Value *place = known("player.place", {}, joining_.player);
  return place ? text_of(place->find("scene")) : std::string();
}

bool Machine::present(std::string_view player) const {
  const auto has = parts_[everyone].find(std::string(player));
  return has != parts_[everyone].end() && has->second.count("player.here") > 0;
}

std::vector<std::string> Machine::players() const {
  std::vector<std::string> out;
  for (const auto &[id, has] : parts_[everyone])
    if (has.count("player.here")) out.push_back(id);
  std::sort(out.begin(), out.end(), before);
  return out;
}

Place read::place(const Value *v) {
  Place out;
  if (!is_object(v)) return out;
  out.scene = text_of(v->find("scene"));
  if (is_list(v->find("at")))
    for (const Value &x : v->find("at")->items) out.at.push_back(x.number);
  out.facing = text_of(v->find("facing"));
  if (is_number(v->find("time"))) out.time = v->find("time")->number;
  out.arrival = static_cast<std::int64_t>(count_of(v->find("arrival")));
  return out;
}

Thing read::thing(const Value *v) { return {is_object(v) ? text_of(v->find("holder")) : std::string(), place(v)}; }

Watch read::watch(const Value *v) {
  if (is_object(v)) return {is_number(v->find("since")) ? v->find("since")->number : 0, true};
  return {number(v), false};
}

std::optional<Place> Machine::place_of(std::string_view player) const {
  const Value *v = known("player.place", {}, std::string(player));
  if (!v) return std::nullopt;
  return read::place(v);
}

double Machine::now(double local) {
  if (!has_ahead_) return time_;
  const double wanted = local + ahead_;
  if (!has_shown_ || wanted - shown_at_ > 1) {
    has_shown_ = true;
    shown_now_ = local;
    shown_at_ = wanted;
  } else {
    const double passed = std::max(0.0, local - shown_now_), off = wanted - (shown_at_ + passed);
    shown_now_ = std::max(local, shown_now_);
    shown_at_ += passed + std::max(-0.1 * passed, std::min(0.1 * passed, off));
  }
  return shown_at_;
}

std::optional<Place> Machine::place_at(std::string_view player, double time) const {
  const auto track = tracks_.find(std::string(player));
  if (track == tracks_.end()) return std::nullopt;
  const auto &steps = track->second.steps;
  const std::int64_t at = std::llround(time * 1000);
  std::size_t i = steps.size() - 1;
  while (i > 0 && steps[i].first > at) i--;
  const auto &[begin, from] = steps[i];
  if (i + 1 == steps.size() || begin > at) return from;
  const auto &[end, to] = steps[i + 1];
  if (to.arrival != from.arrival || to.scene != from.scene) return from;
  const std::int64_t set = std::max(begin, end - longest_walk);
  if (at <= set) return from;
  const double part = static_cast<double>(at - set) / static_cast<double>(end - set);
  Place out = to;
  out.time = static_cast<double>(at) / 1000;
  for (std::size_t k = 0; k < out.at.size(); k++) out.at[k] = from.at[k] + (to.at[k] - from.at[k]) * part;
  return out;
}

Value Machine::view() const {
  Value out = Value::object();
  for (int part = 0; part < (near_ ? 4 : 3); part++) {
    Value values = Value::object();
    for (const auto &[player, has] : parts_[part])
      for (const auto &[key, value] : has) values.set(player.empty() ? key : key + "@" + player, value);
    out.set(part_names[part], std::move(values));
  }
  return out;
}

std::string Machine::digest() const {
  const Value all = view();
  Value sums = Value::object();
  for (std::size_t i = 0; i < all.names.size(); i++) sums.set(all.names[i], sha256(canonical(all.items[i])));
  return sha256(canonical(sums));
}

// Being told

int Machine::on(std::string name, std::function<void(const Value *, const Value *, const Where &)> call) {
  assert(shape_->slot(name) && "alluvion: this is no value of this plan that machines are sent");
  listeners_[std::move(name)][++listener_] = std::move(call);
  return listener_;
}

int Machine::on_told(std::function<void(const Told &)> call) { return told_to_[++listener_] = std::move(call), listener_; }
int Machine::on_trouble(std::function<void(const Trouble &)> call) { return trouble_to_[++listener_] = std::move(call), listener_; }
int Machine::on_state(std::function<void(State)> call) { return state_to_[++listener_] = std::move(call), listener_; }

void Machine::off(int number) {
  for (auto &[name, calls] : listeners_) calls.erase(number);
  told_to_.erase(number);
  trouble_to_.erase(number);
  state_to_.erase(number);
}

// Asking

bool Machine::saved(std::uint64_t number, std::function<void(bool)> call) {
  const bool on = number <= disk_;
  if (!call) return on;
  if (on || state_ == State::ended || waiting_.size() >= most_pending) {
    call(on);
  } else {
    waiting_.emplace_back(number, std::move(call));
  }
  return on;
}

void Machine::request(Value ask, Done done, std::shared_ptr<Place> to) {
  const Value *place = known("player.place", {}, joining_.player);
  if (place && place->find("arrival")) ask.set("arrival", *place->find("arrival"));
  if (state_ == State::ended || requests_.size() >= most_pending) {
    Outcome o;
    o.is = Outcome::Is::refused;
    o.kind = state_ == State::ended ? "ended" : "too-many";
    o.why = state_ == State::ended ? end_ : std::to_string(most_pending) + " requests wait for an answer already.";
    if (done) done(o);
    return;
  }
  auto r = std::make_shared<Request>();
  r->ask = std::move(ask);
  r->to = std::move(to);
  r->done = std::move(done);
  if (r->to && !requests_.empty() && requests_.back()->to && !requests_.back()->sent) {
    const auto last = requests_.back();
    queue_.erase(std::remove_if(queue_.begin(), queue_.end(), [&](const Queued &x) { return x.request == last; }), queue_.end());
    Outcome o;
    o.is = Outcome::Is::refused, o.number = last->number, o.kind = "replaced", o.why = "A newer move took its place before it was sent.";
    settle(last, o);
  }
  requests_.push_back(r);
  if (state_ == State::in) post(r);
  tell();
}

void Machine::post(const std::shared_ptr<Request> &r) {
  if (r->number == 0) r->number = ++number_;
  queue_.push_back({std::string(), r});
}

// A request as it is sent. A packed machine sends moves in bits; what bits have no room for goes as text, and the service says what is
// wrong with it.
Out Machine::written(Request &r) const {
  const int index = r.to ? shape_->scene(r.to->scene) : -1;
  if (joining_.packed && index >= 0) {
    const auto &into = shape_->scenes[static_cast<std::size_t>(index)];
    std::uint64_t facing = 0;
    for (std::size_t i = 0; i < shape_->facings.size(); i++)
      if (shape_->facings[i] == r.to->facing) facing = i + 1;
    bool fit = facing > 0 || r.to->facing.empty();
    std::vector<std::uint64_t> steps;
    for (std::size_t i = 0; i < into.axes.size() && fit; i++) {
      const double n = into.axes[i].nearest(r.to->at[i]);
      fit = n >= 0 && n < std::pow(2.0, into.bits[i]);
      steps.push_back(static_cast<std::uint64_t>(fit ? n : 0));
    }
    if (fit) {
      Writer w;
      w.write(2, 8);
      w.varint(r.number);
      w.varint(count_of(r.ask.find("arrival")));
      w.write(static_cast<std::uint64_t>(index), shape_->scene_bits);
      for (std::size_t i = 0; i < steps.size(); i++) w.write(steps[i], into.bits[i]);
      w.write(facing, shape_->facing_bits);
      return {std::move(w.out), true};
    }
  }
  Value ask = r.ask;
  ask.set("number", static_cast<double>(r.number));
  return {canonical(ask), false};
}

void Machine::move(const std::vector<double> &at, std::string_view facing, Done done) {
  const Steps step(0, shape_->step);
  auto to = std::make_shared<Place>();
  to->scene = scene();
  to->facing = std::string(facing);
  Value list = Value::list();
  for (double x : at) {
    to->at.push_back(step.value(0) + step.nearest(std::isfinite(x) ? x : 0) * step.step / step.scale);
    list.items.emplace_back(to->at.back());
  }
  assert(at.size() == shape_->axes && "alluvion: a place has a number for each axis");
  to->at.resize(shape_->axes);
  Value ask = Value::object();
  ask.set("is", "move").set("to", std::move(list));
  if (!facing.empty()) ask.set("facing", std::string(facing));
  request(std::move(ask), std::move(done), std::move(to));
}

static Value named(const char *is, std::string_view name) {
  Value ask = Value::object();
  ask.set("is", is);
  if (!name.empty()) ask.set("name", std::string(name));
  return ask;
}

void Machine::pass(std::string_view passage, Done done) { request(named("pass", passage), std::move(done)); }
void Machine::touch(std::string_view checkpoint, Done done) { request(named("touch", checkpoint), std::move(done)); }
void Machine::start_over(Done done) { request(named("start-over", {}), std::move(done)); }
void Machine::leave(Done done) { request(named("leave", {}), std::move(done)); }

void Machine::write(std::string_view name, Value value, Value of, Done done) {
  Value ask = named("write", name);
  ask.set("value", std::move(value));
  if (of.kind == Value::Kind::object) ask.set("args", std::move(of));
  request(std::move(ask), std::move(done));
}

void Machine::event(std::string_view name, Value args, Done done) {
  Value ask = named("event", name);
  ask.set("args", args.kind == Value::Kind::object ? std::move(args) : Value::object());
  request(std::move(ask), std::move(done));
}

// Taking in

// Runs the callbacks that have come together.
void Machine::tell() {
  if (busy_) return;
  busy_ = true;
  for (std::size_t i = 0; i < calls_.size(); i++) {
    const auto call = std::move(calls_[i]);  // which may add others
    call();
  }
  calls_.clear();
  busy_ = false;
}

void Machine::become(State state) {
  if (state_ == state) return;
  state_ = state;
  for (const auto &[n, call] : state_to_) calls_.push_back([call = call, state] { call(state); });
}

void Machine::trouble(std::string is, std::string why, std::vector<std::string> names) {
  const Trouble t{std::move(is), std::move(why), std::move(names)};
  for (const auto &[n, call] : trouble_to_) calls_.push_back([call = call, t] { call(t); });
}

// Asks for the whole view, at most once a second.
void Machine::want_whole(double now) {
  asks_whole_ = true;
  if (state_ != State::in || now - asked_whole_ < 1) return;
  asked_whole_ = now;
  queue_.push_back({"{\"is\":\"whole\"}", nullptr});
}

const char *Machine::take(const Value &m, double now) {
  if (!is_object(&m) || !is_text(m.find("is"))) return "This is no message.";
  const std::string &is = m.find("is")->text;
  const std::uint64_t number = count_of(m.find("number"));
  if (is == "tick") {
    Frame frame;
    if (const char *why = detail::read_text(*shape_, m, near_, frame)) return why;
    take_frame(frame, now);
  } else if (is == "welcome") {
    return take_welcome(m);
  } else if (is == "answer") {
    Outcome o;
    o.is = Outcome::Is::applied, o.number = number, o.repeat = is_truth(m.find("repeat")) && m.find("repeat")->truth;
    answered(number, o);
  } else if (is == "refused") {
    take_refusal(m, number);
  } else if (is == "saved") {
    disk_ = std::max(disk_, number);
    for (auto &[n, call] : waiting_)
      if (n <= disk_) calls_.push_back([call = std::move(call)] { call(true); });
    waiting_.erase(std::remove_if(waiting_.begin(), waiting_.end(), [&](const auto &w) { return w.first <= disk_; }), waiting_.end());
  } else if (is == "differs") {
    if (!is_count(m.find("tick"))) return "A difference has no tick.";
    Value believed = Value::object();
    believed.set("is", "believed").set("tick", m.find("tick")->number).set("values", view());
    queue_.push_back({canonical(believed), nullptr});
    trouble("differs", "at tick " + number_text(m.find("tick")->number));
  } else if (is == "fetch") {
    if (!is_text(m.find("layout"))) return "The service does not say where the layout is.";
    fetch_ = m.find("layout")->text;
    queue_.clear();
    become(State::fetch);
  }
  return nullptr;
}

const char *Machine::take_welcome(const Value &m) {
  const Value *run = m.find("run"), *session = m.find("session"), *ticks = m.find("ticks"), *grace = m.find("grace"), *number = m.find("number"),
              *resumed = m.find("resumed"), *missed = m.find("missed");
  if (!is_text(run) || !is_text(session) || !is_number(ticks) || ticks->number <= 0 || !is_number(grace) || !is_count(number) || !is_truth(resumed))
    return "This is no welcome.";
  const std::string was = run_;
  run_ = run->text, session_ = session->text, ticks_ = ticks->number, grace_ = grace->number, welcomed_ = count_of(number);
  number_ = std::max(number_, welcomed_);
  tries_ = 0;
  asks_whole_ = false;
  if (is_truth(missed) && missed->truth) trouble("missed");
  if (!resumed->truth) {  // the whole view comes next
    seats_.clear();
    tracks_.clear();
    tick_ = 0;
    has_ahead_ = has_shown_ = false;  // the session's time may have stood still meanwhile
    if (!was.empty() && was != run_) {
      trouble("rolled-back");
      for (auto &[n, call] : waiting_) calls_.push_back([call = std::move(call)] { call(false); });
      waiting_.clear();
    }
  }
  become(State::in);
  for (const auto &r : requests_) post(r);
  return nullptr;
}

void Machine::take_refusal(const Value &m, std::uint64_t number) {
  Outcome o;
  o.is = Outcome::Is::refused;
  o.number = number;
  o.kind = is_text(m.find("kind")) ? m.find("kind")->text : "refused";
  o.why = text_of(m.find("why")), o.key = text_of(m.find("key")), o.member = text_of(m.find("member"));
  o.rule = static_cast<int>(std::min<std::uint64_t>(count_of(m.find("rule")), 1u << 30));
  o.line = static_cast<int>(std::min<std::uint64_t>(count_of(m.find("line")), 1u << 30));
  o.repeat = is_truth(m.find("repeat")) && m.find("repeat")->truth;
  if (state_ == State::joining) {
    refusal_ = o.why;
  } else if (number == 0) {
    trouble("refused", o.why);
  } else {
    if (o.kind == "unknown" && !o.repeat && number <= welcomed_) o.is = Outcome::Is::unknown;
    answered(number, o);
  }
}

void Machine::answered(std::uint64_t number, Outcome outcome) {
  for (const auto &r : requests_)
    if (r->number == number && number > 0) return settle(std::shared_ptr<Request>(r), std::move(outcome));
}

void Machine::settle(const std::shared_ptr<Request> &r, Outcome outcome) {
  const std::shared_ptr<Request> kept = r;
  requests_.erase(std::remove(requests_.begin(), requests_.end(), kept), requests_.end());
  if (kept->done) calls_.push_back([done = kept->done, outcome = std::move(outcome)] { done(outcome); });
}

// Nothing that waits will be answered any more.
void Machine::give_up(const std::string &why) {
  while (!requests_.empty()) {
    Outcome o;
    o.number = requests_.front()->number, o.why = why;
    settle(requests_.front(), o);
  }
  for (auto &[n, call] : waiting_) calls_.push_back([call = std::move(call)] { call(false); });
  waiting_.clear();
}

void Machine::take_frame(Frame &f, double now) {
  for (const Told &t : f.told)
    for (const auto &[n, call] : told_to_) calls_.push_back([call = call, t] { call(t); });
  const auto requests = requests_;
  for (const auto &r : requests)
    if (r->to && r->number > 0 && r->number <= f.done) {
      Outcome o;
      o.is = Outcome::Is::applied, o.number = r->number;
      settle(r, o);
    }
  int wholes = 0;
  for (const Change &c : f.changes) wholes += c.part != near_part && c.whole;
  if ((asks_whole_ || tick_ == 0) && wholes < 3) {
    if (!asks_whole_) want_whole(now);
    return;  // it changes what this machine does not have
  }
  asks_whole_ = false;
  const std::string here = scene();
  tick_ = f.tick;
  time_ = static_cast<double>(f.time) / 1000;
  if (f.seated) seats_ = std::move(f.seats);
  for (Change &c : f.changes) apply(c);
  call_back(here);
  const double ahead = time_ - now;
  ahead_ = !has_ahead_ || ahead > ahead_ ? ahead : ahead_ + (ahead - ahead_) * 0.02;
  has_ahead_ = true;
  if (f.check) {
    Value belief = Value::object();
    belief.set("is", "belief").set("tick", static_cast<double>(f.tick)).set("digest", digest());
    queue_.push_back({canonical(belief), nullptr});
  }
}

void Machine::apply(Change &c) {
  Part &now = parts_[c.part];
  Part had;
  if (c.whole) had.swap(now);
  for (const auto &[player, everywhere] : c.forget)
    for (Part &part : parts_) {
      if (!everywhere && &part != &now) continue;
      const auto has = part.find(player);
      if (has == part.end()) continue;
      for (const auto &[key, old] : has->second) was(player, key, &old);
      part.erase(has);
    }
  for (const auto &[player, key] : c.gone) {
    const auto has = now.find(player);
    if (has == now.end()) continue;
    const auto is = has->second.find(key);
    if (is == has->second.end()) continue;
    was(player, key, &is->second);
    has->second.erase(is);
    if (has->second.empty()) now.erase(has);
  }
  for (auto &x : c.set) {
    const Part &old = c.whole ? had : now;
    const auto has = old.find(x.player);
    const Value *is = nullptr;
    if (has != old.end()) {
      const auto it = has->second.find(x.key);
      if (it != has->second.end()) is = &it->second;
    }
    was(x.player, x.key, is);
    if (x.key == "player.place") walked(x.player, x.value);
    now[x.player][x.key] = std::move(x.value);
  }
  for (const auto &[player, has] : had)
    for (const auto &[key, old] : has) was(player, key, &old);
  if (c.part == everyone)
    for (auto it = tracks_.begin(); it != tracks_.end();) it = now.count(it->first) ? std::next(it) : tracks_.erase(it);
}

// Notes what a value was before this frame. It may stand in two parts: in near after, and in scene before.
void Machine::was(const std::string &player, const std::string &key, const Value *old) {
  if (listeners_.empty()) return;
  const auto calls = listeners_.find(name_of(key));
  if (calls == listeners_.end() || calls->second.empty()) return;
  for (Noted &x : before_)
    if (x.player == player && x.key == key) {
      if (!x.old && old) x.old = *old;
      return;
    }
  before_.push_back({player, key, old ? std::optional<Value>(*old) : std::nullopt});
}

// Calls back about what is not as it was before this frame, when the player was in the scene here.
void Machine::call_back(const std::string &here) {
  std::vector<Noted> noted;
  noted.swap(before_);
  for (Noted &x : noted) {
    const std::string name = name_of(x.key), copy = copy_in(x.key);
    const Slot *slot = shape_->slot(name);
    const Value *is = known(name, copy, x.player);
    if (!x.old && !copy.empty() && sees(name, copy, x.player, here)) x.old = slot->start;
    if ((is != nullptr) == x.old.has_value() && (!is || *is == *x.old)) continue;
    const auto value = is ? std::optional<Value>(*is) : std::nullopt;
    for (const auto &[n, call] : listeners_[name])
      calls_.push_back([call = call, value, old = x.old, where = Where{x.player, copy}] { call(value ? &*value : nullptr, old ? &*old : nullptr, where); });
  }
}

void Machine::walked(const std::string &player, const Value &at) {
  auto &steps = tracks_[player].steps;
  Place p = read::place(&at);
  const std::int64_t time = std::llround(p.time * 1000);
  if (!steps.empty() && steps.back().first > time) return;
  steps.emplace_back(time, std::move(p));
  if (steps.size() > places_kept) steps.erase(steps.begin());
}

}  // namespace alluvion
