// The runtime for C++, checked against the published vectors: g++ -std=c++17 alluvion.cpp test_alluvion.cpp -o test && ./test
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <sstream>

#include "alluvion.hpp"

using namespace alluvion;

static void fail(int line, const std::string &what) {
  std::fprintf(stderr, "test_alluvion.cpp:%d: %s\n", line, what.c_str());
  std::exit(1);
}
#define CHECK(x) ((x) ? void() : fail(__LINE__, #x))
#define SAME(a, b)                                                                                                        \
  do {                                                                                                                    \
    const std::string is_ = (a), wanted_ = (b);                                                                           \
    if (is_ != wanted_) fail(__LINE__, std::string(#a) + " is " + is_.substr(0, 2000) + "\nwanted " + wanted_.substr(0, 2000)); \
  } while (0)

static Value vectors(const std::string &name) {
  std::ifstream file("../../docs/vectors/" + name + ".json", std::ios::binary);
  std::stringstream text;
  text << file.rdbuf();
  Value v;
  if (!parse(text.str(), v)) fail(__LINE__, "no vectors of " + name);
  return v;
}

static const Value &at(const Value &v, const char *name) {
  static const Value none;
  const Value *is = v.find(name);
  return is ? *is : none;
}

static std::string bytes_of(const std::string &hex) {
  std::string out;
  for (std::size_t i = 0; i + 1 < hex.size(); i += 2) out.push_back(static_cast<char>(std::strtol(hex.substr(i, 2).c_str(), nullptr, 16)));
  return out;
}

static Plan plan_of(const std::string &layout) { return {1, layout, {{{"chest", "red"}, "hall"}, {{"chest", "blue"}, "pit"}}}; }

static std::string welcome(const Value &layout, const std::string &player, double number = 0, bool resumed = false, const char *run = "r1") {
  Value m = Value::object();
  m.set("is", "welcome").set("player", player).set("game", at(layout, "game")).set("session", "one").set("version", 1).set("plan", at(layout, "plan"));
  m.set("run", run).set("ticks", at(layout, "ticks")).set("grace", 45).set("number", number).set("resumed", resumed).set("tick", 0);
  return canonical(m);
}

static std::string protocol(const Machine &m, const Value &layout) { return m.protocols()[at(layout, "alluvion_layout").number == 2 ? 0 : 1]; }

// A machine that is in a session.
struct In {
  std::string layout;
  Joining joining;
  std::unique_ptr<Machine> m;
  In(const Value &said, bool packed, double number = 0) : layout(canonical(at(said, "layout"))) {
    joining.player = at(said, "viewer").text;
    joining.packed = packed;
    m = std::make_unique<Machine>(plan_of(layout), joining);
    m->opened(protocol(*m, at(said, "layout")));
    Value hello;
    CHECK(parse(m->outgoing()[0].data, hello));
    SAME(at(hello, "is").text + at(hello, "player").text + at(hello, "plan").text, "hello" + joining.player + at(at(said, "layout"), "plan").text);
    m->received(welcome(at(said, "layout"), joining.player, number), 0);
  }
  Machine *operator->() const { return m.get(); }
};

static std::string frame(const Value &turn, bool packed) { return packed ? bytes_of(at(turn, "packed").text) : canonical(at(turn, "frame")); }

static void digests() {
  SAME(sha256(""), "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855");
  for (const Value &d : vectors("digests").items) {
    SAME(canonical(at(d, "view")), at(d, "canonical").text);
    SAME(sha256(at(d, "canonical").text), at(d, "sha256").text);
  }
  const std::pair<double, const char *> numbers[] = {{-0.0, "0"}, {1e21, "1e+21"}, {123456789012345680000.0, "123456789012345680000"}, {1e-6, "0.000001"}, {1e-7, "1e-7"},
      {1.5e-9, "1.5e-9"}, {0.1, "0.1"}, {-20.25, "-20.25"}, {1.25e22, "1.25e+22"}, {5e-324, "5e-324"}, {1.7976931348623157e308, "1.7976931348623157e+308"}, {100, "100"},
      {9007199254740991.0, "9007199254740991"}, {0.1 + 0.2, "0.30000000000000004"}};
  for (const auto &[x, text] : numbers) SAME(canonical(Value(x)), text);
}

static void conversations() {
  for (const char *name : {"conversations", "near", "everything", "lantern-pass"}) {
    const Value said = vectors(name);
    for (bool packed : {false, true}) {
      In m(said, packed);
      m->on_trouble([&](const Trouble &t) { fail(__LINE__, std::string(name) + ": " + t.is + " " + t.why); });
      std::size_t told = 0, wanted = 0;
      m->on_told([&](const Told &) { told++; });
      double now = 0;
      for (const Value &turn : at(said, "turns").items) {
        now++;
        if (at(turn, "away").truth) {
          if (m->state() == State::in) m->lost(1006, now);
          SAME(canonical(m->view()), canonical(at(turn, "view")));
          continue;
        }
        if (at(turn, "resumes").truth) {
          m->opened(protocol(*m.m, at(said, "layout")));
          Value hello;
          CHECK(parse(m->outgoing()[0].data, hello) && at(hello, "tick").number == static_cast<double>(m->tick()));
          m->received(welcome(at(said, "layout"), m.joining.player, 0, true), now);
        }
        m->received(frame(turn, packed), now);
        SAME(canonical(m->view()), canonical(at(turn, "view")));
        SAME(m->digest(), at(turn, "digest").text);
        wanted += at(at(turn, "frame"), "told").items.size();
      }
      CHECK(told == wanted);
    }
  }
}

static void motion() {
  const Value said = vectors("conversations"), motion = vectors("motion");
  In m(said, false);
  int i = 0;
  for (const Value &p : at(motion, "told").items) {
    Value place = Value::object(), scene = Value::object(), here = Value::object(), whole = Value::object(), f = Value::object();
    for (std::size_t k = 0; k < p.names.size(); k++) place.set(p.names[k], p.names[k] == "time" ? Value(p.items[k].number / 1000) : p.items[k]);
    here.set("player.here@wren", true);
    scene.set("player.place@wren", place);
    f.set("is", "tick").set("tick", ++i).set("time", at(p, "time").number / 1000).set("done", 0);
    f.set("everyone", Value::object().set("whole", true).set("set", here)).set("scene", Value::object().set("whole", true).set("set", scene));
    f.set("self", whole.set("whole", true));
    m->received(canonical(f), i);
  }
  for (const Value &d : at(motion, "drawn").items) {
    const auto is = m->place_at("wren", at(d, "time").number / 1000);
    SAME(is->scene + is->facing, at(at(d, "is"), "scene").text + at(at(d, "is"), "facing").text);
    for (std::size_t k = 0; k < is->at.size(); k++) CHECK(std::fabs(is->at[k] - at(at(d, "is"), "at").items[k].number) < 1e-6);
  }
}

static void malformed() {
  unsigned long seed = 1;
  const auto chance = [&](std::size_t n) { return static_cast<std::size_t>((seed = seed * 48271 % 2147483647) % n); };
  for (const char *name : {"everything", "near"}) {
    const Value said = vectors(name);
    std::vector<Value> turns;
    for (const Value &turn : at(said, "turns").items)
      if (!at(turn, "away").truth) turns.push_back(turn);
    for (bool packed : {false, true})
      for (int round = 0; round < 300; round++) {
        In m(said, packed);
        std::vector<std::string> troubles;
        m->on_trouble([&](const Trouble &t) { troubles.push_back(t.is); });
        const std::size_t many = 1 + chance(turns.size() - 1);
        for (std::size_t i = 0; i < many; i++) m->received(frame(turns[i], packed), 1);
        const std::string before = canonical(m->view());
        std::string bad = frame(turns[many], packed);
        if (round % 2 == 0) {
          bad.resize(chance(bad.size()));
        } else {
          for (std::size_t i = 1; i < bad.size(); i++)
            if (chance(12) == 0) bad[i] = static_cast<char>(bad[i] ^ 1 << chance(8));
        }
        m->received(bad, 2);
        if (troubles.empty()) continue;  // it still is a frame
        SAME(troubles[0], "malformed");
        SAME(canonical(m->view()), before);
        bool asked = false;
        for (const Out &out : m->outgoing()) asked = asked || out.data == "{\"is\":\"whole\"}";
        CHECK(asked);
      }
  }
  const Value said = vectors("everything");
  In m(said, false);
  for (const std::string &x : {std::string(), std::string("null"), std::string("[]"), std::string("7"), std::string("{}"), std::string("{\"is\":5}"), std::string("{\"is\":\"tick\"}"),
           std::string("{\"is\":\"welcome\"}"), std::string("{\"is\":\"tick\",\"tick\":-1,\"time\":0,\"done\":0}"), std::string("{\"is\":\"tick\",\"tick\":1e300,\"time\":0,\"done\":0}"),
           std::string("{\"is\":\"tick\",\"tick\":1,\"time\":1,\"done\":0,\"everyone\":5}"), std::string("{\"is\":\"tick\",\"tick\":1,\"time\":1,\"done\":0,\"told\":{}}"), std::string("{\"is\":\"differs\"}"),
           std::string("{\"is\":\"fetch\"}"), std::string(100000, '['), std::string("{\"is\":\"tick\",\"tick\":1,\"time\":1,\"done\":0,\"everyone\":{\"set\":{\"player.count@ada\":\"many\"}}}"),
           std::string("{\"is\":\"answer\",\"number\":99}"), std::string("{\"is\":\"saved\"}"), std::string("{\"is\":\"later\"}"), std::string("\1"), std::string(100, '\xff'), std::string("{\"is\":\"\\ud800\"}")})
    m->received(x, 1);
  CHECK(m->state() == State::in);
  m->received(frame(at(said, "turns").items[0], false), 5);
  SAME(m->digest(), at(at(said, "turns").items[0], "digest").text);
}

static void reading() {
  const Value said = vectors("everything");
  In m(said, true);
  std::string heard;
  const auto hear = [&](const Value *is, const Value *old, const Where &where) {
    heard += (is ? canonical(*is) : "-") + "<" + (old ? canonical(*old) : "-") + "@" + where.player + where.copy + " ";
  };
  m->on("player.heat", hear);
  m->on("scene.snow", hear);
  CHECK(m->scene().empty() && !m->value("player.heat"));
  for (int i = 0; i < 5; i++) m->received(frame(at(said, "turns").items[static_cast<std::size_t>(i)], true), 1);
  CHECK(m->value("player.heat")->number == 0.3);
  SAME(m->value("player.hood")->text, "off");
  CHECK(m->value("player.unset") && m->value("player.unset")->kind == Value::Kind::none);
  const auto players = m->players();
  SAME(players[0] + " " + players[1] + " " + players[2], "ada 😀 ～");
  CHECK(m->present("😀") && !m->present("nobody"));
  CHECK(m->value("ware.store", "tea")->number == 4 && m->value("ware.have", "tea", "😀")->number == 4);
  CHECK(m->value("ware.have", "rice")->number == 0);                                            // nothing ever changed it
  CHECK(!m->value("prop.chest.open", "red")->truth && !m->value("prop.chest.open", "blue"));  // which is in another scene
  CHECK(m->value("scene.snow", "hall")->number == 2 && !m->value("scene.snow", "pit") && !m->value("player.hats"));
  SAME(heard, "0<-@ada 0<-@hall 2<0@hall 0.3<0@ada 0<-@～ 0<-@😀 ");
}

static void asking() {
  const Value said = vectors("conversations");
  In m(said, true, 40);
  m->received(frame(at(said, "turns").items[0], true), 1);
  const auto place = m->place_of("ada");
  std::string became;
  const auto note = [&](const char *what) { return [&became, what](const Outcome &o) { became += std::string(what) + (o.applied() ? "applied" : o.is == Outcome::Is::unknown ? "unknown" : o.kind) + " "; }; };
  m->event("open", Value::object().set("chest", "red"), note("open:"));
  m->move(place->at, "", note("first:"));
  m->move(place->at, "", note("second:"));
  const auto out = m->outgoing();
  CHECK(out.size() == 2 && out[1].binary && out[1].data[0] == 2);
  SAME(out[0].data, "{\"args\":{\"chest\":\"red\"},\"arrival\":" + std::to_string(place->arrival) + ",\"is\":\"event\",\"name\":\"open\",\"number\":41}");
  m->received("{\"is\":\"refused\",\"number\":41,\"kind\":\"refused\",\"why\":\"It is locked.\",\"rule\":3}", 1);
  m->received("{\"is\":\"tick\",\"tick\":90,\"time\":9,\"done\":43}", 2);
  SAME(became, "first:replaced open:refused second:applied ");
  bool on = false;
  CHECK(!m->saved(43, [&](bool is) { on = is; }));
  m->received("{\"is\":\"saved\",\"number\":43}", 2);
  CHECK(on && m->saved(43));
  became.clear();
  for (int i = 0; i < 257; i++) m->event("open", {}, i == 256 ? Done(note("")) : Done());
  SAME(became, "too-many ");
  CHECK(m->pending() == 256);
}

static void coming_back() {
  const Value said = vectors("conversations");
  In m(said, false);
  std::string became, troubles;
  m->on_trouble([&](const Trouble &t) { troubles += t.is; });
  const auto note = [&](const char *what) { return [&became, what](const Outcome &o) { became += std::string(what) + (o.applied() ? "applied" : o.is == Outcome::Is::unknown ? "unknown" : o.kind) + (o.repeat ? "!" : "") + " "; }; };
  m->received(frame(at(said, "turns").items[0], false), 1);
  m->move(m->place_of("ada")->at, "", note("first:"));
  m->outgoing();
  m->move(m->place_of("ada")->at, "", note("second:"));
  m->event("open", {}, note("open:"));
  m->outgoing();
  m->lost(1006, 2);
  CHECK(m->state() == State::lost && m->retry_in() > 0 && m->retry_in() < 0.5);
  m->opened(m->protocols()[1]);
  m->outgoing();
  m->received(welcome(at(said, "layout"), "ada", 2, true), 4);
  std::string again;
  for (const Out &out : m->outgoing()) {
    Value v;
    CHECK(parse(out.data, v));
    again += canonical(at(v, "number"));
  }
  SAME(again, "23");
  m->received("{\"is\":\"answer\",\"number\":3,\"repeat\":true}", 4);
  m->received("{\"is\":\"tick\",\"tick\":91,\"time\":9,\"done\":3}", 5);
  m->event("open", {}, note("lost:"));
  bool saved = true;
  m->saved(4, [&](bool on) { saved = on; });
  m->lost(1001, 6);
  m->opened(m->protocols()[1]);
  m->received(welcome(at(said, "layout"), "ada", 7, false, "r2"), 7);
  m->received("{\"is\":\"refused\",\"number\":4,\"kind\":\"unknown\",\"why\":\"It is no longer known.\"}", 7);
  CHECK(!saved);
  m->event("open", {}, note("never:"));
  m->lost(4002, 8);
  m->event("open", {}, note("after:"));
  SAME(became, "first:unknown open:applied! second:applied lost:unknown never:unknown after:ended ");
  SAME(troubles, "rolled-back");
  CHECK(m->state() == State::ended && m->end_code() == 4002);
}

static void another_layout() {
  const Value said = vectors("everything");
  const auto begin = [&] {
    In m(said, true);
    m->received("{\"is\":\"fetch\",\"plan\":\"other\",\"layout\":\"/v1/x/layout\"}", 1);
    m->lost(4001, 1);
    CHECK(m->state() == State::fetch);
    SAME(m->fetch(), "/v1/x/layout");
    return m;
  };
  std::string more = canonical(at(said, "layout"));
  const std::string count = "\"name\":\"player.count\"";
  In less = begin();
  std::string names;
  less->on_trouble([&](const Trouble &t) { names = t.names[0]; });
  std::string without = more;
  without.replace(without.find(count), count.size(), "\"name\":\"player.hats\"");
  CHECK(less->learned(without));
  SAME(names, "player.count");
  CHECK(less->state() == State::ended);
  In m = begin();
  const std::string plan = at(at(said, "layout"), "plan").text;
  more.replace(more.find(plan), plan.size(), "other");
  CHECK(m->learned(more) && !m->learned("{}") && !m->learned("nonsense"));
  m->opened("");
  CHECK(m->outgoing()[0].data.find("\"plan\":\"other\"") != std::string::npos);
}

static void callbacks() {
  const Value said = vectors("conversations");
  In m(said, false);
  std::string states;
  m->on_state([&](State s) { states += std::to_string(static_cast<int>(s)); });
  int asked = 0;
  const int off = m->on_told([&](const Told &) {
    CHECK(m->tick() == 1);
    m->event("open", {}, [&](const Outcome &) { asked++; });
  });
  m->received(frame(at(said, "turns").items[0], false), 1);
  m->off(off);
  CHECK(m->outgoing().size() == at(at(at(said, "turns").items[0], "frame"), "told").items.size());
  m->advance(20);
  CHECK(m->outgoing()[0].data == "{\"is\":\"ping\"}" && m->quiet() == 19);
  m->lost(1000, 21);
  SAME(states, "5");
  CHECK(asked > 0);
}

int main() {
  digests();
  conversations();
  motion();
  malformed();
  reading();
  asking();
  coming_back();
  another_layout();
  callbacks();
  std::puts("all well");
}
