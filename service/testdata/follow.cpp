// As follow.lua: a machine in C++ whose messages another program hands on.
#include <cmath>
#include <cstdio>
#include <iostream>
#include <map>

#include "lantern_pass.hpp"

using namespace alluvion;

static int callbacks, drawn, beliefs, backwards, unsaved, frames;
static std::map<std::string, int> told, outcomes, troubles;

static void note(const Outcome &o) { outcomes[o.applied() ? "applied" : o.is == Outcome::Is::unknown ? "unknown" : o.kind]++; }

static Value counts(const std::map<std::string, int> &from) {
  Value out = Value::object();
  for (const auto &[name, n] : from) out.set(name, n);
  return out;
}

int main(int, char **argv) {
  Joining joining;
  joining.player = argv[1];
  joining.packed = std::string(argv[2]) == "packed";
  lantern_pass::LanternPass m(joining);
  m.on_told([](const Told &t) { told[t.kind]++; });
  m.on_trouble([](const Trouble &t) { troubles[t.is]++; });
  Value states = Value::list();
  static const char *const names[] = {"closed", "joining", "in", "lost", "fetch", "ended"};
  m.on_state([&](State s) { states.items.emplace_back(names[static_cast<int>(s)]); });
  m.on("player.place", [](const Value *, const Value *, const Where &) { callbacks++; });
  double now = 0, last = 0;
  int turn = 0, players = 0;
  std::string left, scene;
  for (std::string line; std::getline(std::cin, line);) {
    const auto space = line.find(' ');
    const std::string what = line.substr(0, space), rest = space == std::string::npos ? "" : line.substr(space + 1);
    if (what == "open") {
      m.opened(rest);
    } else if (what == "data") {
      std::string data;
      for (std::size_t i = 0; i + 1 < rest.size(); i += 2) data.push_back(static_cast<char>(std::stoi(rest.substr(i, 2), nullptr, 16)));
      frames++;
      m.received(data, now);
    } else if (what == "lost") {
      m.lost(std::stoi(rest), now);
    } else if (what == "step") {
      now = std::stod(rest);
      m.advance(now);
      if (m.state() == State::in && m.tick() > 0) {
        turn++;
        const double time = m.now(now);
        backwards += time < last;
        last = time;
        for (const auto &id : m.players()) drawn += m.place_at(id, time - 2 / m.ticks()).has_value();
        const Value &size = *lantern_pass::world().find("scenes")->find(m.scene())->find("size");
        const double w = size.items[0].number, h = size.items[1].number;
        m.move({w / 2 + std::cos(turn / 20.0) * w / 3, h / 2 + std::sin(turn / 20.0) * h / 3}, "south", note);
        if (turn % 10 == 0)
          m.ask().snowfall(0.1, [&](const Outcome &o) {
            note(o);
            if (o.applied()) m.saved(o.number, [&](bool on) { unsaved += !on && m.state() != State::ended; });
          });
        if (turn % 16 == 0) m.ask().open(lantern_pass::cache_id::under_ledge, note);
      }
    } else if (what == "leave") {
      players = static_cast<int>(m.players().size());
      scene = m.self().place().scene;
      m.leave([&](const Outcome &o) { left = o.applied() ? "applied" : "not"; });
    } else if (what == "end") {
      Value too = Value::object(), out = Value::object();
      m.ask().load([&](const Outcome &o) { too.set("is", "refused").set("kind", o.kind); });
      out.set("callbacks", callbacks).set("drawn", drawn).set("beliefs", beliefs).set("backwards", backwards).set("unsaved", unsaved).set("frames", frames);
      out.set("players", players).set("scene", scene).set("pending", static_cast<int>(m.pending())).set("left", left);
      out.set("told", counts(told)).set("outcomes", counts(outcomes)).set("troubles", counts(troubles)).set("states", states);
      out.set("end", Value::object().set("code", m.end_code())).set("unknownToo", too);
      std::cout << canonical(out) << std::endl;
      return 0;
    }
    for (const Out &x : m.outgoing()) {
      beliefs += x.data.find("\"is\":\"belief\"") != std::string::npos;
      std::cout << (x.binary ? "bytes " : "text ");
      for (char c : x.data) std::cout << "0123456789abcdef"[static_cast<unsigned char>(c) >> 4] << "0123456789abcdef"[c & 15];
      std::cout << "\n";
    }
    std::cout << ". " << names[static_cast<int>(m.state())] << std::endl;
  }
}
