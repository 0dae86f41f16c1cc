// As decode.mjs. C++ has no JSON parser of its own: the peer is the one of the bindings.
#include <chrono>
#include <cstdio>
#include <fstream>

#include "crowd.hpp"

template <class Of>
static double took(int many, Of of) {
  const auto began = std::chrono::steady_clock::now();
  for (int i = 0; i < many; i++) of();
  return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - began).count() / many / 60;
}

static std::vector<std::string> lines(const char *name) {
  std::ifstream file(name);
  std::vector<std::string> out;
  for (std::string line; std::getline(file, line);) out.push_back(line);
  return out;
}

int main() {
  std::vector<std::string> packed = lines("packed.txt"), text = lines("text.txt");
  const std::string welcome = lines("welcome.txt")[0];
  for (auto &x : packed) {
    std::string bytes;
    for (std::size_t i = 0; i + 1 < x.size(); i += 2) bytes.push_back(static_cast<char>(std::stoi(x.substr(i, 2), nullptr, 16)));
    x = bytes;
  }
  alluvion::Joining joining;
  joining.player = "walker_0";
  crowd::Crowd m(joining);
  const auto ours = [&] {
    m.opened(m.protocols()[1]);
    m.outgoing();
    m.received(welcome, 0);
    for (std::size_t i = 0; i < packed.size(); i++) m.received(packed[i], static_cast<double>(i) / 10);
  };
  const auto peer = [&] {
    for (const auto &x : text) {
      alluvion::Value v;
      if (!alluvion::parse(x, v)) std::exit(1);
    }
  };
  std::printf("%f %f\n", took(5, ours), took(5, peer));
  return m.players().size() == 1000 ? 0 : 1;
}
