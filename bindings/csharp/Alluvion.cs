// Alluvion for games in C# (7.0; .NET Standard 2.0 and later, Mono): what a machine needs to follow a session, and to ask in it.
//
// It opens no connection, starts no thread and reads no clock, and needs no reflection. The game owns a WebSocket; it hands over what
// that received, and sends what comes out:
//
//   var m = new LanternPass(new Joining { Player = "ada" });   // from the generated file beside this one
//   m.Opened(protocol);                     // a connection is open; protocol is the one that the service chose
//   m.Received(data, now);                  // a message as it came: a string, or bytes
//   m.Lost(code, now);                      // it is closed
//   m.Advance(now);                         // in every frame of the game
//   foreach (var message in m.Outgoing()) socket.Send(message.Text, message.Bytes);   // and after each of these, and after asking
//
// now is always the game's own time in seconds, from any moment on, never going back.
//
// Callbacks run inline, inside Received, Lost, Advance and Learned only, after everything was taken in; there is no synchronisation
// context. They may ask; they may not call these. What a callback throws is thrown by the call that it ran in, after everything else of
// that call is done. Nothing that a service or a network can send makes Received throw: it is reported to OnTrouble, the view stays as it
// was, and the whole view is asked for. A machine is for one thread at a time.
using System;
using System.Collections.Generic;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;

namespace Alluvion
{
    /// <summary>What a value is.</summary>
    public enum Kind { None, Truth, Number, Text, List, Object }

    /// <summary>Any value, as the wire has it. Seconds and coordinates are numbers. It is never changed once it is known.</summary>
    public sealed class Value
    {
        public static readonly Value None = new Value();

        public Kind Kind;
        public bool Truth;
        public double Number;
        public string Text = "";
        /// <summary>Of a list; of an object what its names stand for.</summary>
        public List<Value> Items;
        public List<string> Names;

        public static implicit operator Value(bool x) { return new Value { Kind = Kind.Truth, Truth = x }; }
        public static implicit operator Value(double x) { return new Value { Kind = Kind.Number, Number = x }; }
        public static implicit operator Value(string x) { return x == null ? None : new Value { Kind = Kind.Text, Text = x }; }
        public static Value List() { return new Value { Kind = Kind.List, Items = new List<Value>() }; }
        public static Value Object() { return new Value { Kind = Kind.Object, Items = new List<Value>(), Names = new List<string>() }; }

        /// <summary>What a name of an object stands for; null where it has no such name.</summary>
        public Value Find(string name)
        {
            if (Kind != Kind.Object) return null;
            for (int i = 0; i < Names.Count; i++) if (Names[i] == name) return Items[i];
            return null;
        }

        /// <summary>Gives an object a name more.</summary>
        public Value Set(string name, Value value)
        {
            Names.Add(name);
            Items.Add(value);
            return this;
        }

        /// <summary>Adds to a list.</summary>
        public Value Add(Value value)
        {
            Items.Add(value);
            return this;
        }

        public bool Same(Value other)
        {
            if (other == null || Kind != other.Kind) return false;
            switch (Kind)
            {
                case Kind.None: return true;
                case Kind.Truth: return Truth == other.Truth;
                case Kind.Number: return Number == other.Number;
                case Kind.Text: return Text == other.Text;
            }
            return Json.Canonical(this) == Json.Canonical(other);
        }

        internal bool IsNumber { get { return Kind == Kind.Number && Math.Abs(Number) <= Json.Most; } }
        internal bool IsCount { get { return IsNumber && Number >= 0 && Number == Math.Floor(Number); } }
        internal bool IsTrue { get { return Kind == Kind.Truth && Truth; } }
    }

    /// <summary>Where a player is, or was remembered.</summary>
    public sealed class Place
    {
        public string Scene = "";
        /// <summary>A number for each axis.</summary>
        public double[] At = new double[0];
        public string Facing = "";
        /// <summary>Of where a player is: at which of the session's seconds they got there.</summary>
        public double Time;
        /// <summary>Of where a player is: how often in this visit they were put somewhere.</summary>
        public long Arrival;
    }

    /// <summary>A movable: who holds it (null where nobody does), or where it stands.</summary>
    public struct Thing
    {
        public string Holder;
        public Place Place;
    }

    /// <summary>A stopwatch: what it reads in seconds, or since which of the session's seconds it runs.</summary>
    public struct Watch
    {
        public double Seconds;
        public bool Runs;
    }

    /// <summary>Applied: it was done, and is on disk when Saved(number) says so. Refused: it was not done, and nothing has changed. Unknown: it
    /// may have been done or not, and nobody knows any more.</summary>
    public enum Became { Applied, Refused, Unknown }

    /// <summary>What came of something that was asked for.</summary>
    public sealed class Outcome
    {
        public Became Is;
        public long Number;
        /// <summary>Of what was refused: a kind of the wire (docs/wire.md); or replaced, of a move that gave way to a newer one before it was sent,
        /// too-many where 256 requests wait already, ended where the visit has.</summary>
        public string Kind = "";
        public string Why = "", Key = "", Member = "";
        public int Rule, Line;
        public bool Repeat;
        public bool Applied { get { return Is == Became.Applied; } }
    }

    /// <summary>Something that the player is told. What there is not is empty.</summary>
    public sealed class Told
    {
        public string Kind = "", Player = "", Text = "", Key = "", Id = "", Scene = "", From = "";
        public int Rule;
    }

    /// <summary>What a game ought to know, and seldom needs to do anything about. Is says what: malformed (what came in is no message, or not of
    /// this layout; the whole view was asked for), differs (the service found that this machine believed something else: please report it), missed
    /// (some of what the player was told while away is not known any more), rolled-back (the session was opened anew: what was not saved may be
    /// gone), refused (a message that has no number was), plan-changed (names are gone, or of another type).</summary>
    public sealed class Trouble
    {
        public string Is = "", Why = "";
        public List<string> Names = new List<string>();
    }

    /// <summary>Whose value has changed; null where it is of no player, or there is but one.</summary>
    public struct Where
    {
        public string Player, Copy;
    }

    /// <summary>One message to send: a text, or bytes where Text is null.</summary>
    public struct Message
    {
        public string Text;
        public byte[] Bytes;
    }

    /// <summary>How a machine comes in.</summary>
    public sealed class Joining
    {
        public string Player;
        /// <summary>Which save, from 1; 0 stands for 1.</summary>
        public int Slot;
        public Dictionary<string, string> Picks;
        public string Token;
        /// <summary>Frames come in bits, which are about a sixth of the text.</summary>
        public bool Packed = true;
        /// <summary>Say now and then what this machine believes, so that differences are found.</summary>
        public bool Checks = true;
        /// <summary>Nobody plays: what is saved of this player may be removed with all of its kind.</summary>
        public bool Simulated;
    }

    /// <summary>What a generated file hands over.</summary>
    public sealed class Plan
    {
        public int Runtime;
        /// <summary>JSON.</summary>
        public string Layout;
        /// <summary>In which scene each prop is, by kind/id.</summary>
        public Dictionary<string, string> Props;
    }

    /// <summary>How the connection is. Closed: none was opened yet. Lost: open another one after RetryIn seconds. Fetch: the session has another
    /// layout; fetch it from Machine.Fetch, and hand it to Learned. Ended: there is no coming back without something new; End says why.</summary>
    public enum State { Closed, Joining, In, Lost, Fetch, Ended }

    sealed class Malformed : Exception
    {
        public Malformed(string why) : base(why) { }
    }

    /// <summary>JSON (RFC 8259), and canonical JSON (RFC 8785).</summary>
    public static class Json
    {
        internal const double Most = 9007199254740991.0; // 2^53 - 1
        const int Deepest = 100;

        /// <summary>Reads JSON; null where it is none.</summary>
        public static Value Parse(string text)
        {
            try
            {
                return Read(text);
            }
            catch (Malformed)
            {
                return null;
            }
        }

        internal static Value Read(string text)
        {
            int at = 0;
            var out_ = Read(text, ref at, 1);
            Space(text, ref at);
            if (at != text.Length) throw No();
            return out_;
        }

        static Malformed No() { return new Malformed("This is no JSON."); }

        static void Space(string s, ref int at)
        {
            while (at < s.Length && (s[at] == ' ' || s[at] == '\t' || s[at] == '\r' || s[at] == '\n')) at++;
        }

        static char Peek(string s, int at) { return at < s.Length ? s[at] : '\0'; }

        static bool Word(string s, ref int at, string word)
        {
            if (string.CompareOrdinal(s, at, word, 0, word.Length) != 0) return false;
            at += word.Length;
            return true;
        }

        static Value Read(string s, ref int at, int depth)
        {
            Space(s, ref at);
            if (depth > Deepest) throw new Malformed("This is nested too deeply.");
            char c = Peek(s, at);
            if (c == '{' || c == '[')
            {
                var into = c == '{' ? Value.Object() : Value.List();
                char ends = c == '{' ? '}' : ']';
                at++;
                Space(s, ref at);
                if (Peek(s, at) == ends)
                {
                    at++;
                    return into;
                }
                while (true)
                {
                    if (c == '{')
                    {
                        Space(s, ref at);
                        if (Peek(s, at) != '"') throw No();
                        string name = Str(s, ref at);
                        Space(s, ref at);
                        if (!Word(s, ref at, ":")) throw No();
                        var value = Read(s, ref at, depth + 1);
                        int twice = into.Names.IndexOf(name);
                        if (twice >= 0) into.Items[twice] = value; // the last one counts
                        else into.Set(name, value);
                    }
                    else
                    {
                        into.Items.Add(Read(s, ref at, depth + 1));
                    }
                    Space(s, ref at);
                    if (Peek(s, at) == ends)
                    {
                        at++;
                        return into;
                    }
                    if (!Word(s, ref at, ",")) throw No();
                }
            }
            if (c == '"') return Str(s, ref at);
            if (Word(s, ref at, "true")) return true;
            if (Word(s, ref at, "false")) return false;
            if (Word(s, ref at, "null")) return Value.None;
            return Num(s, ref at);
        }

        static int Hex(string s, ref int at)
        {
            int n = 0;
            for (int i = 0; i < 4; i++, at++)
            {
                int d = "0123456789abcdef".IndexOf(char.ToLowerInvariant(Peek(s, at)));
                if (d < 0) throw No();
                n = n * 16 + d;
            }
            return n;
        }

        static string Str(string s, ref int at)
        {
            var out_ = new StringBuilder();
            for (at++; at < s.Length; at++)
            {
                char c = s[at];
                if (c == '"')
                {
                    at++;
                    return Paired(out_.ToString());
                }
                if (c < 32) throw No();
                if (c != '\\')
                {
                    out_.Append(c);
                    continue;
                }
                at++;
                int i = "bfnrt\"\\/".IndexOf(Peek(s, at));
                if (i >= 0)
                {
                    out_.Append("\b\f\n\r\t\"\\/"[i]);
                }
                else if (Peek(s, at) == 'u')
                {
                    at++;
                    out_.Append((char)Hex(s, ref at));
                    at--;
                }
                else
                {
                    throw No();
                }
            }
            throw No();
        }

        // A text without halves of pairs.
        static string Paired(string s)
        {
            for (int i = 0; i < s.Length; i++)
            {
                if (!char.IsSurrogate(s[i])) continue;
                if (!char.IsHighSurrogate(s[i]) || i + 1 == s.Length || !char.IsLowSurrogate(s[i + 1])) throw No();
                i++;
            }
            return s;
        }

        static void Digits(string s, ref int at)
        {
            int begin = at;
            while (Peek(s, at) >= '0' && Peek(s, at) <= '9') at++;
            if (at == begin) throw No();
        }

        static Value Num(string s, ref int at)
        {
            int from = at;
            if (Peek(s, at) == '-') at++;
            if (Peek(s, at) == '0') at++;
            else Digits(s, ref at);
            if (Peek(s, at) == '.')
            {
                at++;
                Digits(s, ref at);
            }
            if (Peek(s, at) == 'e' || Peek(s, at) == 'E')
            {
                at++;
                if (Peek(s, at) == '+' || Peek(s, at) == '-') at++;
                Digits(s, ref at);
            }
            double n;
            if (!double.TryParse(s.Substring(from, at - from), NumberStyles.Float, CultureInfo.InvariantCulture, out n) || double.IsInfinity(n) || double.IsNaN(n)) throw new Malformed("A number is beyond all numbers.");
            return n == 0 ? 0 : n;
        }

        /// <summary>A number as ECMAScript prints it: the fewest digits that give it again.</summary>
        public static string Number(double x)
        {
            if (x == 0) return "0";
            if (x < 0) return "-" + Number(-x);
            if (x == Math.Floor(x) && x <= Most) return ((long)x).ToString(CultureInfo.InvariantCulture);
            string text = null;
            for (int places = x < 1e-300 ? 0 : 14; places <= 16; places++)
            {
                text = x.ToString("E" + places, CultureInfo.InvariantCulture);
                double again;
                if (double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out again) && again == x) break;
            }
            int e = text.IndexOf('E');
            string digits = text.Substring(0, e).Replace(".", "").TrimEnd('0');
            int point = int.Parse(text.Substring(e + 1), NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture) + 1;
            if (point > 0 && point <= 21) return digits.Length <= point ? digits.PadRight(point, '0') : digits.Substring(0, point) + "." + digits.Substring(point);
            if (point <= 0 && point > -6) return "0." + new string('0', -point) + digits;
            return digits.Substring(0, 1) + (digits.Length > 1 ? "." + digits.Substring(1) : "") + "e" + (point - 1 < 0 ? "-" : "+") + Math.Abs(point - 1).ToString(CultureInfo.InvariantCulture);
        }

        /// <summary>A value as canonical JSON: names are in the order of their UTF-16 units, which is this language's ordinal one.</summary>
        public static string Canonical(Value value)
        {
            var out_ = new StringBuilder();
            Write(out_, value);
            return out_.ToString();
        }

        static void Write(StringBuilder out_, Value v)
        {
            switch (v.Kind)
            {
                case Kind.None:
                    out_.Append("null");
                    return;
                case Kind.Truth:
                    out_.Append(v.Truth ? "true" : "false");
                    return;
                case Kind.Number:
                    out_.Append(Number(v.Number));
                    return;
                case Kind.Text:
                    Quote(out_, v.Text);
                    return;
                case Kind.List:
                    out_.Append('[');
                    for (int i = 0; i < v.Items.Count; i++)
                    {
                        if (i > 0) out_.Append(',');
                        Write(out_, v.Items[i]);
                    }
                    out_.Append(']');
                    return;
            }
            var order = new int[v.Names.Count];
            for (int i = 0; i < order.Length; i++) order[i] = i;
            Array.Sort(order, (a, b) => string.CompareOrdinal(v.Names[a], v.Names[b]));
            out_.Append('{');
            for (int i = 0; i < order.Length; i++)
            {
                if (i > 0) out_.Append(',');
                Quote(out_, v.Names[order[i]]);
                out_.Append(':');
                Write(out_, v.Items[order[i]]);
            }
            out_.Append('}');
        }

        static void Quote(StringBuilder out_, string s)
        {
            out_.Append('"');
            foreach (char c in s)
            {
                int i = "\b\f\n\r\t\"\\".IndexOf(c);
                if (i >= 0) out_.Append('\\').Append("bfnrt\"\\"[i]);
                else if (c < 32) out_.Append("\\u").Append(((int)c).ToString("x4"));
                else out_.Append(c);
            }
            out_.Append('"');
        }

        /// <summary>SHA-256 of a text's UTF-8, in hexadecimal.</summary>
        public static string Sha256(string text)
        {
            using (var sha = SHA256.Create())
            {
                var out_ = new StringBuilder(64);
                foreach (byte b in sha.ComputeHash(Encoding.UTF8.GetBytes(text))) out_.Append(b.ToString("x2"));
                return out_.ToString();
            }
        }
    }

    /// <summary>A value as what a generated class gives; of what is not known, 0 or null.</summary>
    public static class Read
    {
        public static double Number(Value v) { return v == null ? 0 : v.Number; }
        public static long Whole(Value v) { return v == null ? 0 : (long)v.Number; }
        public static bool Truth(Value v) { return v != null && v.Truth; }
        public static string Text(Value v) { return v == null || v.Kind != Kind.Text ? null : v.Text; }
        public static double? MaybeNumber(Value v) { return v == null || v.Kind == Kind.None ? (double?)null : v.Number; }
        public static long? MaybeWhole(Value v) { return v == null || v.Kind == Kind.None ? (long?)null : (long)v.Number; }
        public static bool? MaybeTruth(Value v) { return v == null || v.Kind == Kind.None ? (bool?)null : v.Truth; }
        public static double[] Numbers(Value v) { return Each(v, Number); }
        public static long[] Wholes(Value v) { return Each(v, Whole); }
        public static bool[] Truths(Value v) { return Each(v, Truth); }
        public static string[] Texts(Value v) { return Each(v, Text); }

        static T[] Each<T>(Value v, Func<Value, T> one)
        {
            if (v == null || v.Kind != Kind.List) return null;
            var out_ = new T[v.Items.Count];
            for (int i = 0; i < out_.Length; i++) out_[i] = one(v.Items[i]);
            return out_;
        }

        public static Place Place(Value v)
        {
            if (v == null || v.Find("scene") == null) return null;
            var out_ = new Place { Scene = v.Find("scene").Text };
            var at = v.Find("at");
            out_.At = Numbers(at) ?? new double[0];
            if (v.Find("facing") != null) out_.Facing = v.Find("facing").Text;
            if (v.Find("time") != null) out_.Time = v.Find("time").Number;
            if (v.Find("arrival") != null) out_.Arrival = (long)v.Find("arrival").Number;
            return out_;
        }

        public static Thing Thing(Value v) { return new Thing { Holder = v == null ? null : Text(v.Find("holder")), Place = Place(v) }; }

        public static Watch Watch(Value v)
        {
            if (v != null && v.Kind == Kind.Object) return new Watch { Seconds = Number(v.Find("since")), Runs = true };
            return new Watch { Seconds = Number(v) };
        }
    }

    // Bits from the highest of each byte to the lowest.
    sealed class Bits
    {
        readonly byte[] data;
        int at;

        public Bits(byte[] data, int from)
        {
            this.data = data;
            at = from * 8;
        }

        public int Left { get { return data.Length * 8 - at; } }

        public long Read(int bits)
        {
            if (bits > Left) throw new Malformed("The frame ends too early.");
            long n = 0;
            while (bits > 0)
            {
                int left = 8 - at % 8, take = Math.Min(left, bits);
                n = n << take | (long)(uint)(data[at / 8] >> (left - take) & ((1 << take) - 1));
                at += take;
                bits -= take;
            }
            if (n > (long)Json.Most) throw new Malformed("A number is beyond 2^53 - 1.");
            return n;
        }

        public bool Flag() { return Read(1) == 1; }

        // A number in groups: one bit that says whether another follows, and so many of the number, the lowest group first.
        public long Groups(int bits)
        {
            long n = 0;
            for (int shift = 0; ; shift += bits)
            {
                bool more = Flag();
                long part = Read(bits);
                if (shift > 52 && part > 0 || shift > 56) throw new Malformed("A number is beyond 2^53 - 1.");
                n |= part << shift;
                if (n > (long)Json.Most) throw new Malformed("A number is beyond 2^53 - 1.");
                if (!more) return n;
            }
        }

        public long Count() { return Groups(4); }

        // How many things follow, of which each takes a bit at least: more than there are bits cannot be.
        public long Many()
        {
            long n = Count();
            if (n > Left) throw new Malformed("A count is greater than what follows.");
            return n;
        }

        public string Text(long length)
        {
            if (length > Left / 8) throw new Malformed("A text is longer than the frame.");
            var raw = new byte[length];
            for (int i = 0; i < raw.Length; i++) raw[i] = (byte)Read(8);
            return Utf8(raw, 0, raw.Length);
        }

        static readonly UTF8Encoding strict = new UTF8Encoding(false, true);

        static string Utf8(byte[] raw, int from, int many)
        {
            try
            {
                return strict.GetString(raw, from, many);
            }
            catch (ArgumentException)
            {
                throw new Malformed("A text is not UTF-8.");
            }
        }

        public void Align() { at = (at + 7) / 8 * 8; }
        public string Rest() { return Utf8(data, at / 8, data.Length - at / 8); }
    }

    sealed class Writer
    {
        readonly List<byte> bytes = new List<byte>();
        int at;

        public void Write(long n, int bits)
        {
            for (int i = bits - 1; i >= 0; i--, at++)
            {
                if (at % 8 == 0) bytes.Add(0);
                if ((n >> i & 1) == 1) bytes[bytes.Count - 1] |= (byte)(0x80 >> at % 8);
            }
        }

        public void Varint(long n)
        {
            for (; n >= 128; n >>= 7) Write(128 | n & 127, 8);
            Write(n, 8);
        }

        public byte[] Done() { return bytes.ToArray(); }
    }

    // Numbers that are steps above a least one: (low + n * step) / scale in whole numbers, so that one division is all that is rounded.
    struct Steps
    {
        double low, step, scale;

        static int Digits(double n)
        {
            string t = Json.Number(n);
            int e = t.IndexOf('e'), point = t.IndexOf('.');
            int many = point < 0 ? 0 : (e < 0 ? t.Length : e) - point - 1;
            return Math.Max(0, e < 0 ? many : many - int.Parse(t.Substring(e + 1), NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture));
        }

        public Steps(double least, double wide)
        {
            scale = Math.Pow(10, Math.Max(Digits(least), Digits(wide)));
            low = Math.Round(least * scale);
            step = Math.Round(wide * scale);
            double a = Math.Abs(low), b = step;
            while (b != 0)
            {
                double r = a % b;
                a = b;
                b = r;
            }
            double by = a;
            b = scale;
            while (b != 0)
            {
                double r = by % b;
                by = b;
                b = r;
            }
            low /= by;
            step /= by;
            scale /= by;
        }

        public double Value(double n) { return (low + n * step) / scale + 0.0; }
        public double Nearest(double x) { return Math.Floor((x * scale - low) / step + 0.5); }
    }

    // How values of one domain are written in bits.
    sealed class Code
    {
        public string Kind;
        public bool Optional;
        int bits, letterBits;
        Steps steps;
        long codes, most;
        readonly List<string> options = new List<string>(), letters = new List<string>();
        Value[] known; // of options, so that none is made anew
        public Code Item;

        static long Count(Value v) { return v != null && v.IsCount ? (long)v.Number : 0; }

        public static Code Of(Value v)
        {
            if (v == null || v.Kind != Alluvion.Kind.Object) return null;
            var c = new Code { Kind = Read.Text(v.Find("kind")) ?? "", Optional = v.Find("optional") != null && v.Find("optional").Truth };
            c.bits = (int)Count(v.Find("bits"));
            c.codes = Count(v.Find("codes"));
            c.most = Count(v.Find("most"));
            if (c.Kind == "number") c.steps = new Steps(Read.Number(v.Find("min")), v.Find("step") == null ? 1 : v.Find("step").Number);
            if (v.Find("options") != null) foreach (var x in v.Find("options").Items) c.options.Add(x.Text);
            c.known = new Value[c.options.Count];
            for (int i = 0; i < c.known.Length; i++) c.known[i] = c.options[i];
            string all = Read.Text(v.Find("letters")) ?? "";
            for (int i = 0; i < all.Length; i += char.IsHighSurrogate(all[i]) ? 2 : 1) c.letters.Add(all.Substring(i, char.IsHighSurrogate(all[i]) ? 2 : 1));
            while (1 << c.letterBits < c.letters.Count) c.letterBits++;
            c.Item = Of(v.Find("item"));
            if (c.bits > 53 || c.Kind == "list" && c.Item == null || Array.IndexOf(new[] { "number", "option", "truth", "text", "list" }, c.Kind) < 0)
                throw new ArgumentException("alluvion: this runtime does not know codes of the kind " + c.Kind + "; update it");
            return c;
        }

        public Value Value(Bits s)
        {
            if (Kind == "number" || Kind == "option")
            {
                long n = s.Read(bits), many = Kind == "number" ? codes : known.Length;
                if (n < many) return Kind == "number" ? steps.Value(n) : known[n];
                if (n == many && Optional) return Alluvion.Value.None;
                throw new Malformed("A number or an option is none of those that there are.");
            }
            if (Optional && !s.Flag()) return Alluvion.Value.None;
            if (Kind == "truth") return s.Flag();
            long length = s.Read(bits);
            if (length > most) throw new Malformed("A text or a list is longer than it may be.");
            if (Kind == "list")
            {
                var list = Alluvion.Value.List();
                for (long i = 0; i < length; i++) list.Items.Add(Item.Value(s));
                return list;
            }
            if (letters.Count == 0) return s.Text(length);
            var out_ = new StringBuilder();
            for (long i = 0; i < length; i++)
            {
                long n = s.Read(letterBits);
                if (n >= letters.Count) throw new Malformed("A letter is none of the alphabet.");
                out_.Append(letters[(int)n]);
            }
            return out_.ToString();
        }

        // Whether a value in text is of this type. What is built in and was not given a value yet is none too.
        public bool Fits(Value v)
        {
            if (v.Kind == Alluvion.Kind.None) return true;
            if (Kind == "number") return v.IsNumber;
            if (Kind == "truth") return v.Kind == Alluvion.Kind.Truth;
            if (Kind != "list") return v.Kind == Alluvion.Kind.Text;
            return v.Kind == Alluvion.Kind.List && v.Items.TrueForAll(Item.Fits);
        }

        public static bool Same(Code a, Code b) { return a == null || b == null ? a == b : a.Kind == b.Kind && a.Optional == b.Optional && Same(a.Item, b.Item); }
    }

    // One field of one holder.
    sealed class Slot
    {
        public string Name, Form;
        public int Part;
        public bool Players;
        public Code Code;
        public Value Start;
        public List<string> Copies = new List<string>();
        // What stands for each copy in a view, without the player: the name, and the copy in brackets.
        public List<string> Keys = new List<string>();
    }

    sealed class Holder
    {
        public int Copies, CopyBits;
        public bool Players;
        public List<Slot>[] Parts = { new List<Slot>(), new List<Slot>(), new List<Slot>(), null };
    }

    sealed class Scene
    {
        public string Id;
        public Steps[] Axes;
        public int[] Bits;
    }

    // A layout, made ready for reading.
    sealed class Shape
    {
        public static readonly string[] PartNames = { "everyone", "scene", "self", "near" };
        public const int Everyone = 0, InScene = 1, Self = 2, Near = 3;

        public readonly string Game, Plan;
        public readonly double Ticks, Step;
        public readonly int Seats, Kinds, SceneBits, FacingBits, Axes;
        public readonly bool HasNear;
        public readonly List<string> Facings = new List<string>();
        public readonly List<Scene> Scenes = new List<Scene>();
        public readonly List<Holder> Holders = new List<Holder>();
        public readonly List<Slot> Slots = new List<Slot>();
        public readonly Dictionary<string, Slot> ByName = new Dictionary<string, Slot>();

        static int Int(Value v) { return (int)Read.Number(v); }

        public Shape(Value v)
        {
            var format = v == null ? null : v.Find("alluvion_layout");
            if (format == null || format.Number != 1 && format.Number != 2) throw new ArgumentException("alluvion: the layout is of a format that this runtime does not read");
            Game = v.Find("game").Text;
            Plan = v.Find("plan").Text;
            Ticks = v.Find("ticks").Number;
            Seats = Int(v.Find("seats"));
            Kinds = Int(v.Find("kinds"));
            var places = v.Find("places");
            SceneBits = Int(places.Find("scene_bits"));
            FacingBits = Int(places.Find("facing_bits"));
            Step = places.Find("step").Number;
            Axes = places.Find("axes").Items.Count;
            foreach (var x in places.Find("facings").Items) Facings.Add(x.Text);
            foreach (var x in places.Find("scenes").Items)
            {
                var scene = new Scene { Id = x.Find("id").Text, Axes = new Steps[Axes], Bits = new int[Axes] };
                for (int i = 0; i < Axes; i++)
                {
                    scene.Axes[i] = new Steps(x.Find("low").Items[i].Number, Step);
                    scene.Bits[i] = Int(x.Find("bits").Items[i]);
                }
                HasNear = HasNear || x.Find("near") != null && x.Find("near").Truth;
                Scenes.Add(scene);
            }
            foreach (var x in v.Find("holders").Items)
            {
                var h = new Holder { Copies = Math.Max(x.Find("copies").Items.Count, 1), CopyBits = Int(x.Find("copy_bits")), Players = x.Find("players").Truth };
                h.Parts[Near] = h.Parts[InScene]; // in near stand those of the scene
                foreach (var f in x.Find("fields").Items)
                {
                    var slot = new Slot { Name = f.Find("name").Text, Form = f.Find("form").Text, Players = h.Players, Code = Code.Of(f.Find("code")), Start = f.Find("start") ?? Value.None };
                    slot.Part = Array.IndexOf(PartNames, f.Find("part").Text);
                    foreach (var copy in x.Find("copies").Items)
                    {
                        slot.Copies.Add(copy.Text);
                        slot.Keys.Add(slot.Name + "[" + copy.Text + "]");
                    }
                    if (slot.Keys.Count == 0) slot.Keys.Add(slot.Name);
                    h.Parts[slot.Part].Add(slot);
                    Slots.Add(slot);
                    ByName[slot.Name] = slot;
                }
                Holders.Add(h);
            }
        }

        public Slot Find(string name)
        {
            Slot slot;
            return ByName.TryGetValue(name, out slot) ? slot : null;
        }
    }

    struct Entry
    {
        public string Player, Key;
        public Value Value;
    }

    // What a frame changes in one part.
    sealed class Change
    {
        public int Part;
        public bool Whole;
        // Players of whom nothing is known any more: in this part, or in all.
        public readonly List<KeyValuePair<string, bool>> Forget = new List<KeyValuePair<string, bool>>();
        public readonly List<Entry> Gone = new List<Entry>(), Set = new List<Entry>();
    }

    sealed class Frame
    {
        public long Tick, Time, Done;
        public bool Check;
        public readonly List<Change> Changes = new List<Change>();
        public List<Told> Told = new List<Told>();
        public Dictionary<long, string> Seats;

        public static List<Told> ToldOf(Value v)
        {
            var out_ = new List<Told>();
            if (v == null) return out_;
            if (v.Kind != Kind.List) throw new Malformed("The notifications are not a list of objects.");
            foreach (var x in v.Items)
            {
                if (Read.Text(x.Find("kind")) == null) throw new Malformed("The notifications are not a list of objects.");
                Func<string, string> text = name => Read.Text(x.Find(name)) ?? "";
                out_.Add(new Told { Kind = text("kind"), Player = text("player"), Text = text("text"), Key = text("key"), Id = text("id"), Scene = text("scene"), From = text("from"), Rule = (int)Read.Number(x.Find("rule")) });
            }
            return out_;
        }
    }

    // Reads a frame in bits. It changes nothing: what is malformed half way has done no harm.
    sealed class Packed
    {
        readonly Shape shape;
        readonly Bits s;
        public readonly Frame Frame = new Frame();

        public Packed(Shape shape, byte[] data, Dictionary<long, string> seats)
        {
            this.shape = shape;
            int head = shape.HasNear ? 3 : 2;
            if (data.Length < head || data[0] != (shape.HasNear ? 3 : 1)) throw new Malformed("This is no frame of this layout.");
            int flags = data[1];
            s = new Bits(data, head);
            Frame.Seats = new Dictionary<long, string>(seats);
            Frame.Tick = s.Groups(7);
            Frame.Time = s.Groups(7);
            Frame.Done = s.Groups(7);
            Frame.Check = (flags & 64) != 0;
            for (int part = 0; part < 4; part++)
            {
                int how = part == Shape.Near ? (shape.HasNear ? data[2] : 0) : flags >> 2 * part & 3;
                if (how > 2) throw new Malformed("A part is neither whole nor what has changed.");
                if (how == 0) continue;
                var change = new Change { Part = part, Whole = how == 2 };
                Frame.Changes.Add(change);
                if (part == Shape.Near) Nearby(change);
                else Groups(change, -1);
                s.Align();
            }
            if ((flags & 128) != 0) Frame.Told = Frame.ToldOf(Json.Read(s.Rest()));
        }

        string Sitting(long seat)
        {
            string player;
            return Frame.Seats.TryGetValue(seat, out player) ? player : null;
        }

        void Nearby(Change change)
        {
            for (long n = s.Many(); n > 0; n--)
            {
                string player = Sitting(s.Read(shape.Seats));
                if (player != null) change.Forget.Add(new KeyValuePair<string, bool>(player, false));
            }
            for (long n = s.Many(); n > 0; n--)
            {
                long theirs = s.Read(shape.Seats);
                if (Sitting(theirs) == null) throw new Malformed("Somebody near has a seat that nobody has.");
                if (s.Flag()) change.Forget.Add(new KeyValuePair<string, bool>(Sitting(theirs), false));
                Groups(change, theirs);
            }
        }

        // A key: which holder, which copy, whose. seat is whose it is, or below 0 where the frame says so.
        List<Slot> Key(int part, ref long seat, out int copy, out bool first, out bool players)
        {
            long n = s.Read(shape.Kinds);
            if (n >= shape.Holders.Count) throw new Malformed("A value has a holder that there is not.");
            var h = shape.Holders[(int)n];
            copy = (int)s.Read(h.CopyBits);
            if (copy >= h.Copies) throw new Malformed("A value is of something that there is not.");
            first = n == 0;
            players = h.Players;
            if (players && seat < 0) seat = s.Read(shape.Seats);
            return h.Parts[part];
        }

        void Groups(Change change, long whose)
        {
            int copy;
            bool first, players;
            for (long n = s.Many(); n > 0; n--)
            {
                long seat = whose;
                var slots = Key(change.Part, ref seat, out copy, out first, out players);
                string player = players ? Sitting(seat) : "";
                if (player == null) continue;
                if (change.Part == Shape.Everyone && first)
                {
                    change.Forget.Add(new KeyValuePair<string, bool>(player, true));
                    Frame.Seats.Remove(seat);
                }
                foreach (var slot in slots) change.Gone.Add(new Entry { Player = player, Key = slot.Keys[copy] });
            }
            var set = new List<Slot>();
            for (long n = s.Many(); n > 0; n--)
            {
                long seat = whose;
                var slots = Key(change.Part, ref seat, out copy, out first, out players);
                set.Clear();
                foreach (var slot in slots) if (slots.Count == 1 || s.Flag()) set.Add(slot);
                foreach (var slot in set)
                {
                    var value = ValueOf(slot);
                    if (slot.Form == "id")
                    {
                        Frame.Seats[seat] = value.Text;
                        value = true;
                    }
                    string player = players ? Sitting(seat) : "";
                    if (player == null) throw new Malformed("A value is of a seat that nobody has.");
                    change.Set.Add(new Entry { Player = player, Key = slot.Keys[copy], Value = value });
                }
            }
        }

        Value ValueOf(Slot slot)
        {
            switch (slot.Form)
            {
                case "value":
                    return slot.Code.Value(s);
                case "id":
                    return s.Text(s.Count());
                case "place":
                {
                    var place = PlaceOf();
                    long time = s.Flag() ? Frame.Time - s.Read(10) : s.Count();
                    place.Set("time", time / 1000.0);
                    long arrival = s.Count();
                    if (arrival > 0) place.Set("arrival", arrival);
                    return place;
                }
                case "spot":
                    return s.Flag() ? PlaceOf() : Value.None;
                case "thing":
                {
                    if (s.Flag()) return PlaceOf();
                    string holder = Sitting(s.Read(shape.Seats));
                    if (holder == null) throw new Malformed("A movable is held by a seat that nobody has.");
                    return Value.Object().Set("holder", holder);
                }
            }
            bool runs = s.Flag(), below = s.Flag(); // a stopwatch
            long ms = s.Count();
            double reads = (below ? -ms : ms) / 1000.0;
            return runs ? Value.Object().Set("since", reads) : (Value)reads;
        }

        Value PlaceOf()
        {
            long n = s.Read(shape.SceneBits);
            if (n >= shape.Scenes.Count) throw new Malformed("A place is in a scene that there is not.");
            var scene = shape.Scenes[(int)n];
            var at = Value.List();
            for (int i = 0; i < scene.Axes.Length; i++) at.Items.Add(scene.Axes[i].Value(s.Read(scene.Bits[i])));
            var out_ = Value.Object().Set("scene", scene.Id).Set("at", at);
            long facing = s.Read(shape.FacingBits);
            if (facing > shape.Facings.Count) throw new Malformed("A place faces a way that there is not.");
            return facing > 0 ? out_.Set("facing", shape.Facings[(int)facing - 1]) : out_;
        }
    }

    static class Texts
    {
        // An address is what stands in a view for a value: a key, and behind @ the player whose it is.
        public static Entry Split(string address)
        {
            int at = address.IndexOf('@');
            return at < 0 ? new Entry { Player = "", Key = address } : new Entry { Player = address.Substring(at + 1), Key = address.Substring(0, at) };
        }

        public static string NameOf(string key)
        {
            int at = key.IndexOf('[');
            return at < 0 ? key : key.Substring(0, at);
        }

        static bool IsPlace(Shape shape, Value v)
        {
            return v.Kind == Kind.Object && Read.Text(v.Find("scene")) != null && v.Find("at") != null && v.Find("at").Kind == Kind.List && v.Find("at").Items.Count == shape.Axes && v.Find("at").Items.TrueForAll(x => x.IsNumber);
        }

        static bool HasNumber(Value v, string name) { return v.Find(name) != null && v.Find(name).IsNumber; }

        // Whether a value in text is of the type that its field has.
        static bool Fits(Shape shape, Slot slot, Value v)
        {
            switch (slot.Form)
            {
                case "id": return v.IsTrue;
                case "place": return IsPlace(shape, v) && HasNumber(v, "time");
                case "spot": return v.Kind == Kind.None || IsPlace(shape, v);
                case "thing": return IsPlace(shape, v) || Read.Text(v.Find("holder")) != null;
                case "watch": return v.IsNumber || HasNumber(v, "since");
            }
            return slot.Code == null || slot.Code.Fits(v);
        }

        public static Frame Frame(Shape shape, Value m, bool near)
        {
            if (m.Find("tick") == null || !m.Find("tick").IsCount || !HasNumber(m, "time") || m.Find("time").Number < 0 || m.Find("done") == null || !m.Find("done").IsCount) throw new Malformed("A frame does not say which it is.");
            var frame = new Frame { Tick = (long)m.Find("tick").Number, Time = (long)Math.Round(m.Find("time").Number * 1000), Done = (long)m.Find("done").Number, Check = m.Find("check") != null && m.Find("check").IsTrue };
            frame.Told = Alluvion.Frame.ToldOf(m.Find("told"));
            for (int part = 0; part < (near ? 4 : 3); part++)
            {
                var x = m.Find(Shape.PartNames[part]);
                if (x == null) continue;
                Value gone = x.Find("gone"), set = x.Find("set");
                if (x.Kind != Kind.Object || gone != null && gone.Kind != Kind.List || set != null && set.Kind != Kind.Object) throw new Malformed("The part " + Shape.PartNames[part] + " is none.");
                var change = new Change { Part = part, Whole = x.Find("whole") != null && x.Find("whole").IsTrue };
                if (gone != null)
                    foreach (var address in gone.Items)
                    {
                        if (address.Kind != Kind.Text) throw new Malformed("The part " + Shape.PartNames[part] + " is none.");
                        change.Gone.Add(Split(address.Text));
                    }
                for (int i = 0; set != null && i < set.Items.Count; i++)
                {
                    var entry = Split(set.Names[i]);
                    entry.Value = set.Items[i];
                    var slot = shape.Find(NameOf(entry.Key));
                    if (slot != null && !Fits(shape, slot, entry.Value)) throw new Malformed(set.Names[i] + " is not of its type.");
                    change.Set.Add(entry);
                }
                frame.Changes.Add(change);
            }
            return frame;
        }
    }

    /// <summary>What the generated classes are made of: a machine that follows a session by one plan.</summary>
    public class Machine
    {
        /// <summary>Of this runtime. A generated file is made for one.</summary>
        public const int Runtime = 1;

        const int MostPending = 256; // requests that wait for an answer
        const long LongestWalk = 400; // milliseconds on the way between two places: who stood longer set out later
        const int PlacesKept = 32; // of each player, for drawing in between

        sealed class Request
        {
            public long Number;
            public bool Sent;
            public Value Ask;
            public Place To; // of a move
            public Action<Outcome> Done;
        }

        struct Queued
        {
            public string Text;
            public Request Request; // instead of a text
        }

        struct Step
        {
            public long Time;
            public Place At;
        }

        sealed class Noted
        {
            public string Player, Key;
            public Value Old;
        }

        readonly Plan plan;
        readonly Joining joining;
        Shape shape;
        bool near, asksWhole, busy;
        readonly Dictionary<string, Dictionary<string, Value>>[] parts = new Dictionary<string, Dictionary<string, Value>>[4];
        Dictionary<long, string> seats = new Dictionary<long, string>();
        readonly Dictionary<string, List<Step>> tracks = new Dictionary<string, List<Step>>();
        string run = "", refusal = "";
        long number, welcomed, disk;
        readonly List<Request> requests = new List<Request>();
        List<KeyValuePair<long, Action<bool>>> waiting = new List<KeyValuePair<long, Action<bool>>>();
        List<Queued> queue = new List<Queued>();
        int tries;
        double heard, spoke, askedWhole = double.NegativeInfinity, ahead, shownNow, shownAt;
        bool hasAhead, hasShown;
        readonly Queue<Action> calls = new Queue<Action>();
        List<Noted> before = new List<Noted>();
        readonly Dictionary<string, List<Action<Value, Value, Where>>> listeners = new Dictionary<string, List<Action<Value, Value, Where>>>();

        public Machine(Plan plan, Joining joining)
        {
            if (plan.Runtime != Runtime) throw new ArgumentException("alluvion: the generated file is made for runtime " + plan.Runtime + ", and this is " + Runtime + "; write both anew");
            this.plan = plan;
            this.joining = joining;
            shape = new Shape(Json.Parse(plan.Layout));
            Ticks = shape.Ticks;
            Session = Fetch = "";
            for (int i = 0; i < 4; i++) parts[i] = new Dictionary<string, Dictionary<string, Value>>();
        }

        public State State { get; private set; }
        /// <summary>Where State is Ended: why, and the code that the connection ended with.</summary>
        public string End { get; private set; }
        public int EndCode { get; private set; }
        /// <summary>Where State is Fetch: where the session's layout is, on the service.</summary>
        public string Fetch { get; private set; }
        public double RetryIn { get; private set; }
        /// <summary>How many seconds ago the service was last heard, at the last Advance. A connection that is quiet for ten is dead: close it.</summary>
        public double Quiet { get; private set; }
        /// <summary>The newest frame, 0 before the first, and its time in the session's seconds.</summary>
        public long Tick { get; private set; }
        public double Time { get; private set; }
        /// <summary>Frames a second, at most.</summary>
        public double Ticks { get; private set; }
        /// <summary>For how many seconds a player who lost the connection keeps their seat.</summary>
        public double Grace { get; private set; }
        public string Session { get; private set; }
        public string Player { get { return joining.Player; } }
        /// <summary>How many requests wait for an answer.</summary>
        public int Pending { get { return requests.Count; } }

        /// <summary>What the player is told, in order.</summary>
        public event Action<Told> OnTold;
        /// <summary>Something is not as it ought to be.</summary>
        public event Action<Trouble> OnTrouble;
        public event Action<State> OnState;

        // Connecting

        /// <summary>Where to connect: Address("wss://play.example", "winter"), with the sub-protocols to offer.</summary>
        public string Address(string service, string session)
        {
            service = service.TrimEnd('/');
            if (service.StartsWith("http", StringComparison.Ordinal)) service = "ws" + service.Substring(4);
            return service + "/v1/games/" + Uri.EscapeDataString(shape.Game) + "/sessions/" + Uri.EscapeDataString(session) + "/live";
        }

        public string[] Protocols
        {
            get
            {
                string kind = joining.Packed ? "packed" : "json";
                return new[] { "alluvion." + kind + ".2", "alluvion." + kind + ".1" };
            }
        }

        /// <summary>A connection is open; protocol is the one that the service chose. The hello is the first that comes out.</summary>
        public void Opened(string protocol)
        {
            near = string.IsNullOrEmpty(protocol) ? shape.HasNear : protocol.EndsWith(".2", StringComparison.Ordinal);
            refusal = "";
            var hello = Value.Object().Set("is", "hello").Set("player", joining.Player).Set("plan", shape.Plan).Set("checks", joining.Checks);
            if (joining.Slot > 0) hello.Set("slot", joining.Slot);
            if (joining.Token != null) hello.Set("token", joining.Token);
            if (joining.Simulated) hello.Set("simulated", true);
            if (joining.Picks != null && joining.Picks.Count > 0)
            {
                var picks = Value.Object();
                foreach (var pick in joining.Picks) picks.Set(pick.Key, pick.Value);
                hello.Set("picks", picks);
            }
            if (run != "" && !asksWhole) hello.Set("run", run).Set("tick", Tick);
            queue = new List<Queued> { new Queued { Text = Json.Canonical(hello) } };
            foreach (var r in requests) r.Sent = false;
            Become(State.Joining);
            Tell();
        }

        public void Received(string text, double now)
        {
            Take(now, () => Take(Json.Read(text), now));
        }

        public void Received(byte[] data, double now)
        {
            Take(now, () => TakeFrame(new Packed(shape, data, seats).Frame, now));
        }

        void Take(double now, Action work)
        {
            Begin();
            heard = now;
            try
            {
                work();
            }
            catch (Malformed e)
            {
                Report("malformed", e.Message);
                WantWhole(now);
            }
            finally
            {
                busy = false;
            }
            Tell();
        }

        void Begin()
        {
            if (busy) throw new InvalidOperationException("alluvion: Received, Lost, Advance and Learned may not be called from a callback");
            busy = true;
        }

        static string WhyOf(int code)
        {
            switch (code)
            {
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
            return "The connection was lost (" + code + ").";
        }

        /// <summary>The connection is lost, or was closed; code is that of the WebSocket's close frame, 1006 where there was none.</summary>
        public void Lost(int code, double now, string reason = "")
        {
            Begin();
            heard = now;
            queue.Clear();
            if (State != State.Ended && State != State.Fetch)
            {
                string why = refusal != "" ? refusal : !string.IsNullOrEmpty(reason) ? reason : WhyOf(code);
                if (Array.IndexOf(new[] { 1000, 1003, 1009, 4001, 4002, 4005, 4006, 4007 }, code) >= 0)
                {
                    EndCode = code;
                    End = why;
                    foreach (var r in requests.ToArray())
                        if (code == 1000 && r.Ask.Find("is").Text == "leave") Settle(r, new Outcome { Is = Became.Applied, Number = r.Number });
                    GiveUp(why);
                    Become(State.Ended);
                }
                else
                {
                    // Twice as long each time, up to eight seconds, and not the same for everybody.
                    int spread = 0;
                    foreach (char c in joining.Player) spread = (spread * 31 + c) % 65536;
                    RetryIn = Math.Min(8, 0.25 * Math.Pow(2, Math.Min(tries++, 10))) * (0.75 + spread / 131072.0);
                    // A move that was sent may have been applied, and the newest says where the player is.
                    var moves = requests.FindAll(r => r.To != null);
                    for (int i = 0; i + 1 < moves.Count; i++) Settle(moves[i], new Outcome { Is = Became.Unknown, Number = moves[i].Number, Why = "The connection was lost before it was confirmed." });
                    Become(State.Lost);
                }
            }
            busy = false;
            Tell();
        }

        /// <summary>The session's layout, as it was fetched from Fetch. The machine goes on by it where it has all that this file knows.</summary>
        public void Learned(string layout)
        {
            var next = new Shape(Json.Parse(layout));
            Begin();
            var gone = new List<string>();
            foreach (var was in shape.Slots)
            {
                var now = next.Find(was.Name);
                if (now == null || now.Form != was.Form || now.Players != was.Players || !Code.Same(was.Code, now.Code) || !was.Copies.TrueForAll(now.Copies.Contains)) gone.Add(was.Name);
            }
            if (gone.Count > 0)
            {
                EndCode = 4001;
                End = "The session has another plan than this game was built with.";
                Report("plan-changed", End, gone);
                GiveUp(End);
                Become(State.Ended);
            }
            else
            {
                shape = next;
                run = Fetch = "";
                RetryIn = 0;
                Become(State.Lost);
            }
            busy = false;
            Tell();
        }

        /// <summary>What there is to send, in order. Call it after asking, and in every frame.</summary>
        public List<Message> Outgoing()
        {
            var out_ = new List<Message>(queue.Count);
            foreach (var x in queue)
            {
                if (x.Request == null)
                {
                    out_.Add(new Message { Text = x.Text });
                    continue;
                }
                x.Request.Sent = true;
                out_.Add(Written(x.Request));
            }
            queue.Clear();
            if (out_.Count > 0) spoke = heard;
            return out_;
        }

        /// <summary>Lets time pass: gives a sign of life after 15 seconds of silence, and asks again for what was not sent.</summary>
        public void Advance(double now)
        {
            Begin();
            Quiet = Math.Max(0, now - heard);
            if (State == State.In && now - spoke > 15)
            {
                spoke = now;
                queue.Add(new Queued { Text = "{\"is\":\"ping\"}" });
            }
            if (State == State.In && asksWhole && now - askedWhole > 2) WantWhole(now);
            busy = false;
            Tell();
        }

        /// <summary>A new token in place of one that runs out. Where the machine is not connected, it comes in with it.</summary>
        public void Renew(string token, Action<Outcome> done = null)
        {
            joining.Token = token;
            if (State == State.Ended && EndCode == 4006)
            {
                EndCode = 0;
                End = null;
                RetryIn = 0;
                Become(State.Lost);
                Tell();
            }
            if (State == State.In) Asks(Value.Object().Set("is", "token").Set("token", token), done, null);
        }

        // Reading

        /// <summary>What is known by a name of the plan, such as player.warmth: of a copy where there are several, of a player where they have it
        /// (this machine's own if unsaid). null where it was never sent; what nothing ever changed has its start value.</summary>
        public Value Get(string name, string copy = null, string player = null)
        {
            var slot = shape.Find(name);
            return slot == null ? null : Known(slot, copy, slot.Players ? player ?? joining.Player : "");
        }

        Value In(int part, string owner, string key)
        {
            Dictionary<string, Value> has;
            Value value;
            return parts[part].TryGetValue(owner, out has) && has.TryGetValue(key, out value) ? value : null;
        }

        Value Known(Slot slot, string copy, string owner)
        {
            string key = slot.Name;
            if (!string.IsNullOrEmpty(copy))
            {
                int i = slot.Copies.IndexOf(copy);
                key = i < 0 ? slot.Name + "[" + copy + "]" : slot.Keys[i];
            }
            var value = In(slot.Part, owner, key);
            if (value == null && slot.Part == Shape.InScene) value = In(Shape.Near, owner, key);
            if (value != null || string.IsNullOrEmpty(copy)) return value;
            return Sees(slot, copy, owner, Here) ? slot.Start : null;
        }

        // Whether this machine is sent what changes there, while its player is in a scene.
        bool Sees(Slot slot, string copy, string owner, string here)
        {
            if (here == null || !slot.Copies.Contains(copy)) return false;
            if (slot.Players) return parts[Shape.Everyone].ContainsKey(owner) && (slot.Part == Shape.Everyone || owner == joining.Player || slot.Part == Shape.InScene && Get("player.place", null, owner) != null);
            if (slot.Part != Shape.InScene) return true;
            var path = slot.Name.Split('.');
            string scene;
            if (path[0] == "prop") return plan.Props.TryGetValue(path[1] + "/" + copy, out scene) && scene == here;
            return path[0] != "scene" || copy == here;
        }

        /// <summary>The scene that this machine's player is in; null before that is known.</summary>
        public string Here
        {
            get
            {
                var place = Get("player.place");
                return place == null ? null : place.Find("scene").Text;
            }
        }

        public bool Present(string player) { return In(Shape.Everyone, player, "player.here") != null; }

        /// <summary>The ids of everybody in the session, this machine's player among them.</summary>
        public List<string> Players()
        {
            var out_ = new List<string>();
            foreach (var id in parts[Shape.Everyone].Keys) if (Present(id)) out_.Add(id);
            out_.Sort(string.CompareOrdinal);
            return out_;
        }

        /// <summary>The session's time in seconds, now: it runs on between frames, and never goes back while the machine goes on where it was.</summary>
        public double Now(double local)
        {
            if (!hasAhead) return Time;
            double wanted = local + ahead;
            if (!hasShown || wanted - shownAt > 1)
            {
                hasShown = true;
                shownNow = local;
                shownAt = wanted;
            }
            else
            {
                double passed = Math.Max(0, local - shownNow), off = wanted - (shownAt + passed);
                shownNow = Math.Max(local, shownNow);
                shownAt += passed + Math.Max(-0.1 * passed, Math.Min(0.1 * passed, off));
            }
            return shownAt;
        }

        /// <summary>Where to draw a player at one of the session's seconds; null where nothing is known. Draw others at Now(local) - 2 / Ticks.</summary>
        public Place PlaceAt(string player, double time)
        {
            List<Step> steps;
            if (!tracks.TryGetValue(player, out steps)) return null;
            long at = (long)Math.Round(time * 1000);
            int i = steps.Count - 1;
            while (i > 0 && steps[i].Time > at) i--;
            var from = steps[i];
            if (i + 1 == steps.Count || from.Time > at) return from.At;
            var to = steps[i + 1];
            if (to.At.Arrival != from.At.Arrival || to.At.Scene != from.At.Scene) return from.At;
            long set = Math.Max(from.Time, to.Time - LongestWalk);
            if (at <= set) return from.At;
            double part = (double)(at - set) / (to.Time - set);
            var out_ = new Place { Scene = to.At.Scene, Facing = to.At.Facing, Time = at / 1000.0, Arrival = to.At.Arrival, At = new double[to.At.At.Length] };
            for (int k = 0; k < out_.At.Length; k++) out_.At[k] = from.At.At[k] + (to.At.At[k] - from.At.At[k]) * part;
            return out_;
        }

        /// <summary>Everything that this machine believes, by part and address.</summary>
        public Value View()
        {
            var out_ = Value.Object();
            for (int part = 0; part < (near ? 4 : 3); part++)
            {
                var values = Value.Object();
                foreach (var player in parts[part])
                    foreach (var x in player.Value) values.Set(player.Key == "" ? x.Key : x.Key + "@" + player.Key, x.Value);
                out_.Set(Shape.PartNames[part], values);
            }
            return out_;
        }

        /// <summary>The digest of that, as the service checks it.</summary>
        public string Digest()
        {
            var all = View();
            var sums = Value.Object();
            for (int i = 0; i < all.Names.Count; i++) sums.Set(all.Names[i], Json.Sha256(Json.Canonical(all.Items[i])));
            return Json.Sha256(Json.Canonical(sums));
        }

        /// <summary>Calls back with the value, the old one and whose it is when a value changes, whosever it is; what is not known is null. It gives
        /// what ends this.</summary>
        public Action On(string name, Action<Value, Value, Where> call)
        {
            if (shape.Find(name) == null) throw new ArgumentException("alluvion: " + name + " is no value of this plan that machines are sent");
            List<Action<Value, Value, Where>> all;
            if (!listeners.TryGetValue(name, out all)) listeners[name] = all = new List<Action<Value, Value, Where>>();
            all.Add(call);
            return () => all.Remove(call);
        }

        // Asking

        /// <summary>Whether everything up to a number is on disk. call is called when it is, with true, or with false when that will never be known.</summary>
        public bool Saved(long number, Action<bool> call = null)
        {
            bool on = number <= disk;
            if (call == null) return on;
            if (on || State == State.Ended || waiting.Count >= MostPending) call(on);
            else waiting.Add(new KeyValuePair<long, Action<bool>>(number, call));
            return on;
        }

        /// <summary>Says where the player is now, rounded to the step of the plan's space. Of several that were not sent yet, only the newest is.</summary>
        public void Move(double[] at, string facing = null, Action<Outcome> done = null)
        {
            if (at.Length != shape.Axes || Array.Exists(at, x => !((Value)x).IsNumber)) throw new ArgumentException("alluvion: a place has " + shape.Axes + " numbers");
            var step = new Steps(0, shape.Step);
            var to = new Place { Scene = Here ?? "", Facing = facing ?? "", At = Array.ConvertAll(at, x => step.Value(step.Nearest(x))) };
            var list = Value.List();
            foreach (double x in to.At) list.Add(x);
            var ask = Value.Object().Set("is", "move").Set("to", list);
            if (!string.IsNullOrEmpty(facing)) ask.Set("facing", facing);
            Asks(ask, done, to);
        }

        /// <summary>Goes through a passage, from the spot where it begins.</summary>
        public void Pass(string passage, Action<Outcome> done = null) { Asks(Value.Object().Set("is", "pass").Set("name", passage), done, null); }

        /// <summary>Touches a checkpoint, at its spot.</summary>
        public void Touch(string checkpoint, Action<Outcome> done = null) { Asks(Value.Object().Set("is", "touch").Set("name", checkpoint), done, null); }

        /// <summary>Writes a variable that players write themselves; of says which scene, prop or option, as an object with one name.</summary>
        public void Write(string name, Value value, Value of = null, Action<Outcome> done = null)
        {
            var ask = Value.Object().Set("is", "write").Set("name", name).Set("value", value ?? Value.None);
            if (of != null) ask.Set("args", of);
            Asks(ask, done, null);
        }

        /// <summary>Sends an event, by its name and the names of its arguments in the plan.</summary>
        public void Event(string name, Value args = null, Action<Outcome> done = null) { Asks(Value.Object().Set("is", "event").Set("name", name).Set("args", args ?? Value.Object()), done, null); }

        /// <summary>Begins a new run.</summary>
        public void StartOver(Action<Outcome> done = null) { Asks(Value.Object().Set("is", "start-over"), done, null); }

        /// <summary>Ends the visit.</summary>
        public void Leave(Action<Outcome> done = null) { Asks(Value.Object().Set("is", "leave"), done, null); }

        void Asks(Value ask, Action<Outcome> done, Place to)
        {
            var place = Get("player.place");
            if (place != null && place.Find("arrival") != null) ask.Set("arrival", place.Find("arrival"));
            if (State == State.Ended || requests.Count >= MostPending)
            {
                if (done == null) return;
                if (State == State.Ended) done(new Outcome { Is = Became.Refused, Kind = "ended", Why = End });
                else done(new Outcome { Is = Became.Refused, Kind = "too-many", Why = MostPending + " requests wait for an answer already." });
                return;
            }
            var r = new Request { Ask = ask, Done = done, To = to };
            var last = requests.Count > 0 ? requests[requests.Count - 1] : null;
            if (to != null && last != null && last.To != null && !last.Sent)
            {
                queue.RemoveAll(x => x.Request == last);
                Settle(last, new Outcome { Is = Became.Refused, Number = last.Number, Kind = "replaced", Why = "A newer move took its place before it was sent." });
            }
            requests.Add(r);
            if (State == State.In) Post(r);
            Tell();
        }

        void Post(Request r)
        {
            if (r.Number == 0) r.Number = ++number;
            queue.Add(new Queued { Request = r });
        }

        // A request as it is sent. A packed machine sends moves in bits; what bits have no room for goes as text, and the service says what is wrong
        // with it.
        Message Written(Request r)
        {
            int index = r.To == null ? -1 : shape.Scenes.FindIndex(x => x.Id == r.To.Scene);
            int facing = r.To == null || r.To.Facing == "" ? 0 : shape.Facings.IndexOf(r.To.Facing) + 1;
            bool fit = joining.Packed && index >= 0 && (facing > 0 || r.To.Facing == "");
            var steps = new double[shape.Axes];
            for (int i = 0; i < steps.Length && fit; i++)
            {
                steps[i] = shape.Scenes[index].Axes[i].Nearest(r.To.At[i]);
                fit = steps[i] >= 0 && steps[i] < Math.Pow(2, shape.Scenes[index].Bits[i]);
            }
            if (!fit)
            {
                var ask = Value.Object();
                for (int i = 0; i < r.Ask.Names.Count; i++) ask.Set(r.Ask.Names[i], r.Ask.Items[i]);
                return new Message { Text = Json.Canonical(ask.Set("number", r.Number)) };
            }
            var w = new Writer();
            w.Write(2, 8);
            w.Varint(r.Number);
            w.Varint((long)Read.Number(r.Ask.Find("arrival")));
            w.Write(index, shape.SceneBits);
            for (int i = 0; i < steps.Length; i++) w.Write((long)steps[i], shape.Scenes[index].Bits[i]);
            w.Write(facing, shape.FacingBits);
            return new Message { Bytes = w.Done() };
        }

        // Taking in

        // Runs the callbacks that have come together.
        void Tell()
        {
            if (busy) return;
            busy = true;
            Exception thrown = null;
            while (calls.Count > 0)
            {
                try
                {
                    calls.Dequeue()();
                }
                catch (Exception e)
                {
                    thrown = thrown ?? e;
                }
            }
            busy = false;
            if (thrown != null) System.Runtime.ExceptionServices.ExceptionDispatchInfo.Capture(thrown).Throw();
        }

        void Become(State state)
        {
            if (State == state) return;
            State = state;
            if (OnState != null) calls.Enqueue(() => OnState(state));
        }

        void Report(string what, string why = "", List<string> names = null)
        {
            var t = new Trouble { Is = what, Why = why, Names = names ?? new List<string>() };
            if (OnTrouble != null) calls.Enqueue(() => OnTrouble(t));
        }

        // Asks for the whole view, at most once a second.
        void WantWhole(double now)
        {
            asksWhole = true;
            if (State != State.In || now - askedWhole < 1) return;
            askedWhole = now;
            queue.Add(new Queued { Text = "{\"is\":\"whole\"}" });
        }

        static bool IsCount(Value v) { return v != null && v.IsCount; }

        void Take(Value m, double now)
        {
            string what = Read.Text(m.Find("is"));
            if (what == null) throw new Malformed("This is no message.");
            long n = IsCount(m.Find("number")) ? (long)m.Find("number").Number : 0;
            switch (what)
            {
                case "tick":
                    TakeFrame(Texts.Frame(shape, m, near), now);
                    return;
                case "welcome":
                    TakeWelcome(m);
                    return;
                case "answer":
                    Answered(n, new Outcome { Is = Became.Applied, Number = n, Repeat = m.Find("repeat") != null && m.Find("repeat").IsTrue });
                    return;
                case "refused":
                    TakeRefusal(m, n);
                    return;
                case "saved":
                    disk = Math.Max(disk, n);
                    foreach (var w in waiting) if (w.Key <= disk) calls.Enqueue(() => w.Value(true));
                    waiting.RemoveAll(w => w.Key <= disk);
                    return;
                case "differs":
                    if (!IsCount(m.Find("tick"))) throw new Malformed("A difference has no tick.");
                    queue.Add(new Queued { Text = Json.Canonical(Value.Object().Set("is", "believed").Set("tick", m.Find("tick")).Set("values", View())) });
                    Report("differs", "at tick " + Json.Number(m.Find("tick").Number));
                    return;
                case "fetch":
                    Fetch = Read.Text(m.Find("layout"));
                    if (Fetch == null) throw new Malformed("The service does not say where the layout is.");
                    queue.Clear();
                    Become(State.Fetch);
                    return;
            }
        }

        void TakeWelcome(Value m)
        {
            Value ticks = m.Find("ticks"), grace = m.Find("grace"), resumed = m.Find("resumed");
            string said = Read.Text(m.Find("run")), session = Read.Text(m.Find("session"));
            if (said == null || session == null || ticks == null || !ticks.IsNumber || ticks.Number <= 0 || grace == null || !grace.IsNumber || !IsCount(m.Find("number")) || resumed == null || resumed.Kind != Kind.Truth) throw new Malformed("This is no welcome.");
            string was = run;
            run = said;
            Session = session;
            Ticks = ticks.Number;
            Grace = grace.Number;
            welcomed = (long)m.Find("number").Number;
            number = Math.Max(number, welcomed);
            tries = 0;
            asksWhole = false;
            if (m.Find("missed") != null && m.Find("missed").IsTrue) Report("missed");
            if (!resumed.Truth) // the whole view comes next
            {
                seats.Clear();
                tracks.Clear();
                Tick = 0;
                hasAhead = hasShown = false; // the session's time may have stood still meanwhile
                if (was != "" && was != run)
                {
                    Report("rolled-back");
                    foreach (var w in waiting) calls.Enqueue(() => w.Value(false));
                    waiting.Clear();
                }
            }
            Become(State.In);
            foreach (var r in requests) Post(r);
        }

        void TakeRefusal(Value m, long n)
        {
            Func<string, string> text = name => Read.Text(m.Find(name)) ?? "";
            Func<string, int> count = name => IsCount(m.Find(name)) ? (int)Math.Min(m.Find(name).Number, int.MaxValue) : 0;
            string kind = text("kind") == "" ? "refused" : text("kind");
            bool repeat = m.Find("repeat") != null && m.Find("repeat").IsTrue;
            if (State == State.Joining)
            {
                refusal = text("why");
                return;
            }
            if (n == 0)
            {
                Report("refused", text("why"));
                return;
            }
            bool unknown = kind == "unknown" && !repeat && n <= welcomed;
            Answered(n, new Outcome { Is = unknown ? Became.Unknown : Became.Refused, Number = n, Kind = kind, Why = text("why"), Key = text("key"), Member = text("member"), Rule = count("rule"), Line = count("line"), Repeat = repeat });
        }

        void Answered(long n, Outcome outcome)
        {
            var r = requests.Find(x => x.Number == n && n > 0);
            if (r != null) Settle(r, outcome);
        }

        void Settle(Request r, Outcome outcome)
        {
            requests.Remove(r);
            if (r.Done != null) calls.Enqueue(() => r.Done(outcome));
        }

        // Nothing that waits will be answered any more.
        void GiveUp(string why)
        {
            while (requests.Count > 0) Settle(requests[0], new Outcome { Is = Became.Unknown, Number = requests[0].Number, Why = why });
            foreach (var w in waiting) calls.Enqueue(() => w.Value(false));
            waiting.Clear();
        }

        void TakeFrame(Frame f, double now)
        {
            if (OnTold != null)
                foreach (var t in f.Told) calls.Enqueue(() => OnTold(t));
            foreach (var r in requests.FindAll(x => x.To != null && x.Number > 0 && x.Number <= f.Done)) Settle(r, new Outcome { Is = Became.Applied, Number = r.Number });
            int wholes = 0;
            foreach (var c in f.Changes) if (c.Part != Shape.Near && c.Whole) wholes++;
            if ((asksWhole || Tick == 0) && wholes < 3)
            {
                if (!asksWhole) WantWhole(now);
                return; // it changes what this machine does not have
            }
            asksWhole = false;
            string here = Here;
            Tick = f.Tick;
            Time = f.Time / 1000.0;
            if (f.Seats != null) seats = f.Seats;
            foreach (var c in f.Changes) Apply(c);
            CallBack(here);
            double by = Time - now;
            ahead = !hasAhead || by > ahead ? by : ahead + (by - ahead) * 0.02;
            hasAhead = true;
            if (f.Check) queue.Add(new Queued { Text = Json.Canonical(Value.Object().Set("is", "belief").Set("tick", f.Tick).Set("digest", Digest())) });
        }

        void Apply(Change c)
        {
            var had = parts[c.Part];
            if (c.Whole) parts[c.Part] = new Dictionary<string, Dictionary<string, Value>>();
            var now = parts[c.Part];
            Dictionary<string, Value> has;
            Value old;
            foreach (var x in c.Forget)
                for (int part = 0; part < 4; part++)
                {
                    if (!x.Value && part != c.Part || !parts[part].TryGetValue(x.Key, out has)) continue;
                    foreach (var was in has) Was(x.Key, was.Key, was.Value);
                    parts[part].Remove(x.Key);
                }
            foreach (var x in c.Gone)
            {
                if (!now.TryGetValue(x.Player, out has) || !has.TryGetValue(x.Key, out old)) continue;
                Was(x.Player, x.Key, old);
                has.Remove(x.Key);
                if (has.Count == 0) now.Remove(x.Player);
            }
            foreach (var x in c.Set)
            {
                old = had.TryGetValue(x.Player, out has) && has.TryGetValue(x.Key, out old) ? old : null;
                Was(x.Player, x.Key, old);
                if (!now.TryGetValue(x.Player, out has)) now[x.Player] = has = new Dictionary<string, Value>();
                has[x.Key] = x.Value;
                if (x.Key == "player.place") Walked(x.Player, Read.Place(x.Value));
            }
            if (c.Whole && listeners.Count > 0)
                foreach (var player in had)
                    foreach (var was in player.Value) Was(player.Key, was.Key, was.Value);
            if (c.Part != Shape.Everyone || tracks.Count == 0) return;
            List<string> left = null;
            foreach (var id in tracks.Keys) if (!now.ContainsKey(id)) (left = left ?? new List<string>()).Add(id);
            if (left != null) foreach (var id in left) tracks.Remove(id);
        }

        // Notes what a value was before this frame. It may stand in two parts: in near after, and in scene before.
        void Was(string player, string key, Value old)
        {
            List<Action<Value, Value, Where>> all;
            if (listeners.Count == 0 || !listeners.TryGetValue(Texts.NameOf(key), out all) || all.Count == 0) return;
            foreach (var x in before)
                if (x.Player == player && x.Key == key)
                {
                    x.Old = x.Old ?? old;
                    return;
                }
            before.Add(new Noted { Player = player, Key = key, Old = old });
        }

        // Calls back about what is not as it was before this frame, when the player was in the scene here.
        void CallBack(string here)
        {
            if (before.Count == 0) return;
            var noted = before;
            before = new List<Noted>();
            foreach (var x in noted)
            {
                string name = Texts.NameOf(x.Key), copy = name == x.Key ? null : x.Key.Substring(name.Length + 1, x.Key.Length - name.Length - 2);
                var slot = shape.Find(name);
                Value value = Known(slot, copy, x.Player), old = x.Old;
                if (old == null && copy != null && Sees(slot, copy, x.Player, here)) old = slot.Start;
                if (value == null ? old == null : value.Same(old)) continue;
                var where = new Where { Player = x.Player == "" ? null : x.Player, Copy = copy };
                foreach (var call in listeners[name].ToArray()) calls.Enqueue(() => call(value, old, where));
            }
        }

        void Walked(string player, Place at)
        {
            List<Step> steps;
            if (!tracks.TryGetValue(player, out steps)) tracks[player] = steps = new List<Step>();
            long time = (long)Math.Round(at.Time * 1000);
            if (steps.Count > 0 && steps[steps.Count - 1].Time > time) return;
            steps.Add(new Step { Time = time, At = at });
            if (steps.Count > PlacesKept) steps.RemoveAt(0);
        }
    }
}
