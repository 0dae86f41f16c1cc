// Alluvion for games in C++17: what a machine needs to follow a session, and to ask in it.
//
// It opens no connection, starts no thread and reads no clock. The game owns a WebSocket; it hands over what that received,
// and sends what comes out:
//
//   LanternPass m(joining);                       // from the generated file beside this one
//   m.opened(protocol);                           // a connection is open; protocol is the one that the service chose
//   m.received(data, now);                        // a message as it came, text or bytes
//   m.lost(code, now);                            // it is closed
//   m.advance(now);                               // in every frame of the game
//   for (auto &out : m.outgoing()) socket.send(out.data, out.binary);   // and after each of these, and after asking
//
// now is always the game's own time in seconds, from any moment on, never going back.
//
// Callbacks run inside received, lost, advance and learned only, after everything was taken in. They may ask; they may not call
// these (an assertion says so). It throws nothing, and needs neither exceptions nor run-time types. Nothing that a service or a
// network can send makes received fail: it is reported to on_trouble, the view stays as it was, and the whole view is asked for.
// A machine is for one thread at a time.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <utility>
#include <vector>

namespace alluvion {

// Of this runtime. A generated file is made for one.
constexpr int runtime = 1;

// Any value, as the wire has it. Seconds and coordinates are numbers; none is Kind::none.
struct Value {
  enum class Kind : std::uint8_t { none, truth, number, text, list, object };

  Value() = default;
  Value(bool is) : kind(Kind::truth), truth(is) {}
  Value(double is) : kind(Kind::number), number(is) {}
  Value(int is) : kind(Kind::number), number(is) {}
  Value(std::int64_t is) : kind(Kind::number), number(static_cast<double>(is)) {}
  Value(std::string is) : kind(Kind::text), text(std::move(is)) {}
  Value(std::string_view is) : kind(Kind::text), text(is) {}
  Value(const char *is) : kind(Kind::text), text(is) {}
  static Value list(std::vector<Value> items = {});
  static Value object();

  Kind kind = Kind::none;
  bool truth = false;
  double number = 0;
  std::string text;
  std::vector<Value> items;        // of a list; of an object what its names stand for
  std::vector<std::string> names;  // of an object

  const Value *find(std::string_view name) const;  // nullptr where an object has no such name
  Value &set(std::string name, Value is);          // of an object that has no such name yet
  bool operator==(const Value &other) const;
  bool operator!=(const Value &other) const { return !(*this == other); }
};

// A value as canonical JSON (RFC 8785).
std::string canonical(const Value &value);

// Reads JSON (RFC 8259); false where it is none.
bool parse(std::string_view text, Value &into);

// SHA-256 of a text, in hexadecimal (FIPS 180-4).
std::string sha256(std::string_view text);

// Where a player is, or was remembered.
struct Place {
  std::string scene;
  std::vector<double> at;  // a number for each axis
  std::string facing;
  double time = 0;           // of where a player is: at which of the session's seconds they got there
  std::int64_t arrival = 0;  // and how often in this visit they were put somewhere
};

// A movable: who holds it, or where it stands.
struct Thing {
  std::string holder;
  Place place;
};

// A stopwatch: what it reads in seconds, or since which of the session's seconds it runs.
struct Watch {
  double seconds = 0;
  bool runs = false;
};

// What came of something that was asked for.
struct Outcome {
  enum class Is : std::uint8_t {
    applied,  // it was done. It is on disk when saved(number) says so
    refused,  // it was not done, and nothing has changed; why says why
    unknown,  // it may have been done or not: nobody knows any more
  };
  Is is = Is::unknown;
  std::uint64_t number = 0;
  // Of what was refused: a kind of the wire (docs/wire.md), or replaced of a move that gave way to a newer one before it was sent,
  // too-many where 256 requests wait already, ended where the visit has.
  std::string kind;
  std::string why, key, member;
  int rule = 0, line = 0;
  bool repeat = false;

  bool applied() const { return is == Is::applied; }
};

using Done = std::function<void(const Outcome &)>;

// Something that the player is told. What there is not is empty.
struct Told {
  std::string kind, player, text, key, id, scene, from;
  int rule = 0;
};

// What a game ought to know, and seldom needs to do anything about. is says what: malformed (what came in is no message, or not of
// this layout; the whole view was asked for), differs (the service found that this machine believed something else: please report
// it), missed (some of what the player was told while away is not known any more), rolled-back (the session was opened anew: what
// was not saved may be gone), refused (a message that has no number was), plan-changed (names are gone, or of another type).
struct Trouble {
  std::string is, why;
  std::vector<std::string> names;
};

// Whose value has changed; empty where it is of no player, or there is but one.
struct Where {
  std::string player, copy;
};

// One message to send.
struct Out {
  std::string data;
  bool binary = false;
};

// How a machine comes in.
struct Joining {
  std::string player;
  int slot = 0;  // which save, from 1; 0 stands for 1
  std::map<std::string, std::string> picks;
  std::string token;
  bool packed = true;     // frames come in bits, which are about a sixth of the text
  bool checks = true;     // say now and then what this machine believes, so that differences are found
  bool simulated = false;  // nobody plays: what is saved of this player may be removed with all of its kind
};

// What a generated file hands over.
struct Plan {
  int runtime;
  std::string_view layout;  // JSON
  // In which scene the props of each kind are: kind, id, scene.
  std::vector<std::pair<std::pair<std::string, std::string>, std::string>> props;
};

// How the connection is.
enum class State : std::uint8_t {
  closed,   // none was opened yet
  joining,  // the service was asked to let the player in
  in,       // the player is in the session
  lost,     // open another connection after retry_in seconds
  fetch,    // the session has another layout: fetch it from fetch(), and hand it to learned
  ended,    // there is no coming back without something new; end() says why
};

// A value as what a generated class gives; of what is not known, 0 or nothing.
namespace read {
inline double number(const Value *v) { return v ? v->number : 0; }
inline std::int64_t whole(const Value *v) { return v ? static_cast<std::int64_t>(v->number) : 0; }
inline bool truth(const Value *v) { return v && v->truth; }
inline std::string text(const Value *v) { return v ? v->text : std::string(); }
Place place(const Value *v);
Thing thing(const Value *v);
Watch watch(const Value *v);

template <class Is>
std::vector<Is> each(const Value *v, Is (*one)(const Value *)) {
  std::vector<Is> out;
  if (v)
    for (const Value &x : v->items) out.push_back(one(&x));
  return out;
}
inline std::vector<double> numbers(const Value *v) { return each(v, number); }
inline std::vector<std::int64_t> wholes(const Value *v) { return each(v, whole); }
inline std::vector<std::string> texts(const Value *v) { return each(v, text); }
inline std::vector<bool> truths(const Value *v) { return each(v, truth); }
}  // namespace read

namespace detail {
struct Shape;
struct Frame;
struct Change;
}  // namespace detail

// What the generated classes are made of: a machine that follows a session by one plan.
class Machine {
 public:
  Machine(const Plan &plan, Joining joining);
  ~Machine();
  Machine(const Machine &) = delete;
  Machine &operator=(const Machine &) = delete;

  // Where to connect: address("wss://play.example", "winter"), with the sub-protocols to offer.
  std::string address(std::string_view base, std::string_view session) const;
  std::vector<std::string> protocols() const;

  void opened(std::string_view protocol);
  void received(std::string_view data, double now);
  void lost(int code, double now, std::string_view reason = {});
  // The session's layout, as it was fetched from fetch(). False where it is none.
  bool learned(std::string_view layout);
  std::vector<Out> outgoing();
  // Lets time pass: gives a sign of life after 15 seconds of silence, and asks again for what was not sent.
  void advance(double now);
  // A new token in place of one that runs out. Where the machine is not connected, it comes in with it.
  void renew(std::string token, Done done = {});

  State state() const { return state_; }
  int end_code() const { return end_code_; }
  const std::string &end() const { return end_; }
  const std::string &fetch() const { return fetch_; }
  double retry_in() const { return retry_in_; }
  // How many seconds ago the service was last heard, at the last advance. A connection that is quiet for ten is dead: close it.
  double quiet() const { return quiet_; }
  std::int64_t tick() const { return tick_; }  // the newest frame, 0 before the first
  double time() const { return time_; }        // and its time in the session's seconds
  double ticks() const { return ticks_; }      // frames a second, at most
  double grace() const { return grace_; }      // for how long a seat is kept, in seconds
  const std::string &session() const { return session_; }
  const std::string &player() const { return joining_.player; }
  std::size_t pending() const { return requests_.size(); }

  // What is known by a name of the plan, such as player.warmth: of a copy where there are several, of a player where they have it
  // (this machine's own if unsaid). nullptr where it was never sent; what nothing ever changed has its start value.
  const Value *value(std::string_view name, std::string_view copy = {}, std::string_view player = {}) const;
  std::vector<std::string> players() const;
  bool present(std::string_view player) const;
  std::string scene() const;  // that this machine's player is in; empty before that is known
  std::optional<Place> place_of(std::string_view player) const;
  // The session's time in seconds, now: it runs on between frames, and never goes back while the machine goes on where it was.
  double now(double local);
  // Where to draw a player at one of the session's seconds. Draw others at now(local) - 2 / ticks().
  std::optional<Place> place_at(std::string_view player, double time) const;
  // Everything that this machine believes, by part and address, and its digest as the service checks it.
  Value view() const;
  std::string digest() const;

  // Calls back with the value and the old one when a value changes, whosever it is; what is not known is nullptr. They give a number for off.
  int on(std::string name, std::function<void(const Value *, const Value *, const Where &)> call);
  int on_told(std::function<void(const Told &)> call);
  int on_trouble(std::function<void(const Trouble &)> call);
  int on_state(std::function<void(State)> call);
  void off(int number);

  // Whether everything up to a number is on disk. call is called when it is, with true, or with false when that will never be known.
  bool saved(std::uint64_t number, std::function<void(bool)> call = {});

  // What players ask for in every plan; the generated class has a function for each event.
  void move(const std::vector<double> &at, std::string_view facing = {}, Done done = {});
  void pass(std::string_view passage, Done done = {});
  void touch(std::string_view checkpoint, Done done = {});
  void write(std::string_view name, Value value, Value of = {}, Done done = {});
  void event(std::string_view name, Value args, Done done = {});
  void start_over(Done done = {});
  void leave(Done done = {});

 private:
  using Part = std::unordered_map<std::string, std::unordered_map<std::string, Value>>;
  struct Request;
  struct Track;
  struct Queued;

  void begin(double now);
  void tell();
  void become(State state);
  void trouble(std::string is, std::string why = {}, std::vector<std::string> names = {});
  void want_whole(double now);
  const char *take(const Value &m, double now);
  const char *take_welcome(const Value &m);
  void take_refusal(const Value &m, std::uint64_t number);
  void take_frame(detail::Frame &f, double now);
  void apply(detail::Change &c);
  void was(const std::string &player, const std::string &key, const Value *old);
  void call_back(const std::string &here);
  void walked(const std::string &player, const Value &at);
  void request(Value ask, Done done, std::shared_ptr<Place> to = {});
  void post(const std::shared_ptr<Request> &r);
  Out written(Request &r) const;
  void settle(const std::shared_ptr<Request> &r, Outcome outcome);
  void answered(std::uint64_t number, Outcome outcome);
  void give_up(const std::string &why);
  bool sees(std::string_view name, std::string_view copy, const std::string &owner, const std::string &here) const;
  const Value *known(std::string_view name, std::string_view copy, const std::string &owner) const;

  Plan plan_;
  Joining joining_;
  std::unique_ptr<detail::Shape> shape_;
  State state_ = State::closed;
  int end_code_ = 0;
  std::string end_, fetch_, session_, run_, refusal_;
  double retry_in_ = 0, quiet_ = 0, time_ = 0, ticks_ = 0, grace_ = 0;
  std::int64_t tick_ = 0;
  bool near_ = false, asks_whole_ = false, busy_ = false;
  Part parts_[4];
  std::map<std::uint64_t, std::string> seats_;
  std::unordered_map<std::string, Track> tracks_;
  std::uint64_t number_ = 0, welcomed_ = 0, disk_ = 0;
  std::vector<std::shared_ptr<Request>> requests_;
  std::vector<std::pair<std::uint64_t, std::function<void(bool)>>> waiting_;
  std::vector<Queued> queue_;
  int tries_ = 0, listener_ = 0;
  double heard_ = 0, spoke_ = 0, asked_whole_ = -1e300, ahead_ = 0, shown_now_ = 0, shown_at_ = 0;
  bool has_ahead_ = false, has_shown_ = false;
  std::vector<std::function<void()>> calls_;
  struct Noted { std::string player, key; std::optional<Value> old; };
  std::vector<Noted> before_;
  std::map<std::string, std::map<int, std::function<void(const Value *, const Value *, const Where &)>>> listeners_;
  std::map<int, std::function<void(const Told &)>> told_to_;
  std::map<int, std::function<void(const Trouble &)>> trouble_to_;
  std::map<int, std::function<void(State)>> state_to_;
};

}  // namespace alluvion
