// The runtime for C#, checked against the published vectors: mcs Alluvion.cs TestAlluvion.cs && mono TestAlluvion.exe, in this folder.
using System;
using System.Collections.Generic;
using System.IO;
using System.Linq;
using Alluvion;

static class Test
{
    static void Check(bool is_, string what = "")
    {
        if (!is_) throw new Exception("not so: " + what);
    }

    static void Same(string is_, string wanted, string what = "")
    {
        if (is_ != wanted) throw new Exception(what + " is " + is_ + "\nwanted " + wanted);
    }

    static Value Vectors(string name) { return Json.Parse(File.ReadAllText("../../docs/vectors/" + name + ".json")); }

    static byte[] Bytes(string hex) { return Enumerable.Range(0, hex.Length / 2).Select(i => Convert.ToByte(hex.Substring(i * 2, 2), 16)).ToArray(); }

    static string Welcome(Value layout, string player, double number = 0, bool resumed = false, string run = "r1")
    {
        return Json.Canonical(Value.Object().Set("is", "welcome").Set("player", player).Set("game", layout.Find("game")).Set("session", "one").Set("version", 1).Set("plan", layout.Find("plan"))
            .Set("run", run).Set("ticks", layout.Find("ticks")).Set("grace", 45).Set("number", number).Set("resumed", resumed).Set("tick", 0));
    }

    static string Protocol(Machine m, Value layout) { return m.Protocols[layout.Find("alluvion_layout").Number == 2 ? 0 : 1]; }

    static Machine ComeIn(Value said, bool packed, double number = 0)
    {
        var layout = said.Find("layout");
        var plan = new Plan { Runtime = 1, Layout = Json.Canonical(layout), Props = new Dictionary<string, string> { { "chest/red", "hall" }, { "chest/blue", "pit" } } };
        string player = said.Find("viewer").Text;
        var m = new Machine(plan, new Joining { Player = player, Packed = packed });
        m.Opened(Protocol(m, layout));
        var hello = Json.Parse(m.Outgoing()[0].Text);
        Same(hello.Find("is").Text + hello.Find("player").Text + hello.Find("plan").Text, "hello" + player + layout.Find("plan").Text);
        m.Received(Welcome(layout, player, number), 0);
        return m;
    }

    static void Hear(Machine m, Value turn, bool packed, double now)
    {
        if (packed) m.Received(Bytes(turn.Find("packed").Text), now);
        else m.Received(Json.Canonical(turn.Find("frame")), now);
    }

    static bool Is(Value turn, string name) { return turn.Find(name) != null && turn.Find(name).Truth; }

    static void Digests()
    {
        foreach (var d in Vectors("digests").Items)
        {
            Same(Json.Canonical(d.Find("view")), d.Find("canonical").Text);
            Same(Json.Sha256(d.Find("canonical").Text), d.Find("sha256").Text);
        }
        var numbers = new Dictionary<string, double> { { "0", -0.0 }, { "1e+21", 1e21 }, { "123456789012345680000", 123456789012345680000.0 }, { "0.000001", 1e-6 }, { "1e-7", 1e-7 }, { "1.5e-9", 1.5e-9 }, { "0.1", 0.1 },
            { "-20.25", -20.25 }, { "1.25e+22", 1.25e22 }, { "5e-324", 5e-324 }, { "1.7976931348623157e+308", 1.7976931348623157e308 }, { "100", 100 }, { "9007199254740991", 9007199254740991 }, { "0.30000000000000004", 0.1 + 0.2 },
            { "9007199254740.99", 9007199254740.991 }, { "9999999999999.75", 9999999999999.75 } };
        foreach (var x in numbers) Same(Json.Canonical(x.Value), x.Key);
    }

    static void Conversations()
    {
        foreach (string name in new[] { "conversations", "near", "everything", "lantern-pass" })
        {
            var said = Vectors(name);
            foreach (bool packed in new[] { false, true })
            {
                var m = ComeIn(said, packed);
                m.OnTrouble += t => { throw new Exception(name + ": " + t.Is + " " + t.Why); };
                int told = 0, wanted = 0, i = 0;
                m.OnTold += t => told++;
                foreach (var turn in said.Find("turns").Items)
                {
                    i++;
                    if (Is(turn, "away"))
                    {
                        if (m.State == State.In) m.Lost(1006, i);
                        Same(Json.Canonical(m.View()), Json.Canonical(turn.Find("view")));
                        continue;
                    }
                    if (Is(turn, "resumes"))
                    {
                        m.Opened(Protocol(m, said.Find("layout")));
                        Check(Json.Parse(m.Outgoing()[0].Text).Find("tick").Number == m.Tick);
                        m.Received(Welcome(said.Find("layout"), m.Player, 0, true), i);
                    }
                    Hear(m, turn, packed, i);
                    Same(Json.Canonical(m.View()), Json.Canonical(turn.Find("view")), name + i);
                    Same(m.Digest(), turn.Find("digest").Text, name + i);
                    var notices = turn.Find("frame").Find("told");
                    wanted += notices == null ? 0 : notices.Items.Count;
                }
                Check(told == wanted, "told");
            }
        }
    }

    static void Motion()
    {
        Value said = Vectors("conversations"), motion = Vectors("motion");
        var m = ComeIn(said, false);
        int i = 0;
        foreach (var p in motion.Find("told").Items)
        {
            var place = Value.Object();
            for (int k = 0; k < p.Names.Count; k++) place.Set(p.Names[k], p.Names[k] == "time" ? (Value)(p.Items[k].Number / 1000) : p.Items[k]);
            Func<string, Value, Value> whole = (address, is_) => Value.Object().Set("whole", true).Set("set", Value.Object().Set(address, is_));
            m.Received(Json.Canonical(Value.Object().Set("is", "tick").Set("tick", ++i).Set("time", place.Find("time")).Set("done", 0).Set("everyone", whole("player.here@wren", true))
                .Set("scene", whole("player.place@wren", place)).Set("self", Value.Object().Set("whole", true))), i);
        }
        foreach (var d in motion.Find("drawn").Items)
        {
            var at = m.PlaceAt("wren", d.Find("time").Number / 1000);
            Same(at.Scene + at.Facing, d.Find("is").Find("scene").Text + d.Find("is").Find("facing").Text);
            for (int k = 0; k < at.At.Length; k++) Check(Math.Abs(at.At[k] - d.Find("is").Find("at").Items[k].Number) < 1e-6);
        }
    }

    static void Malformed()
    {
        var chance = new Random(1);
        foreach (string name in new[] { "everything", "near" })
        {
            var said = Vectors(name);
            var turns = said.Find("turns").Items.Where(t => !Is(t, "away")).ToList();
            foreach (bool packed in new[] { false, true })
                for (int round = 0; round < 100; round++)
                {
                    var m = ComeIn(said, packed);
                    var troubles = new List<string>();
                    m.OnTrouble += t => troubles.Add(t.Is);
                    int many = 1 + chance.Next(turns.Count - 1);
                    for (int i = 0; i < many; i++) Hear(m, turns[i], packed, 1);
                    string before = Json.Canonical(m.View());
                    byte[] bad = packed ? Bytes(turns[many].Find("packed").Text) : System.Text.Encoding.UTF8.GetBytes(Json.Canonical(turns[many].Find("frame")));
                    if (round % 2 == 0) Array.Resize(ref bad, chance.Next(bad.Length));
                    else for (int i = 1; i < bad.Length; i++) if (chance.Next(12) == 0) bad[i] ^= (byte)(1 << chance.Next(8));
                    if (packed) m.Received(bad, 2);
                    else m.Received(System.Text.Encoding.UTF8.GetString(bad), 2);
                    if (troubles.Count == 0) continue; // it still is a frame
                    Same(troubles[0], "malformed");
                    Same(Json.Canonical(m.View()), before);
                    Check(m.Outgoing().Exists(x => x.Text == "{\"is\":\"whole\"}"));
                }
        }
        var all = Vectors("everything");
        var n = ComeIn(all, false);
        foreach (string x in new[] { "", "null", "[]", "7", "{}", "{\"is\":5}", "{\"is\":\"tick\"}", "{\"is\":\"welcome\"}", "{\"is\":\"tick\",\"tick\":-1,\"time\":0,\"done\":0}", "{\"is\":\"tick\",\"tick\":1e300,\"time\":0,\"done\":0}",
            "{\"is\":\"tick\",\"tick\":1,\"time\":1,\"done\":0,\"everyone\":5}", "{\"is\":\"tick\",\"tick\":1,\"time\":1,\"done\":0,\"told\":{}}", "{\"is\":\"differs\"}", "{\"is\":\"fetch\"}", new string('[', 100000),
            "{\"is\":\"tick\",\"tick\":1,\"time\":1,\"done\":0,\"everyone\":{\"set\":{\"player.count@ada\":\"many\"}}}", "{\"is\":\"answer\",\"number\":99}", "{\"is\":\"saved\"}", "{\"is\":\"later\"}", "{\"is\":\"\\ud800\"}" }) n.Received(x, 1);
        n.Received(new byte[0], 1);
        n.Received(Enumerable.Repeat((byte)255, 100).ToArray(), 1);
        Check(n.State == State.In);
        Hear(n, all.Find("turns").Items[0], false, 5);
        Same(n.Digest(), all.Find("turns").Items[0].Find("digest").Text);
    }

    static void Reading()
    {
        var said = Vectors("everything");
        var m = ComeIn(said, true);
        string heard = "";
        Action<Value, Value, Where> hear = (value, old, where) => heard += (value == null ? "-" : Json.Canonical(value)) + "<" + (old == null ? "-" : Json.Canonical(old)) + "@" + where.Player + where.Copy + " ";
        m.On("player.heat", hear);
        m.On("scene.snow", hear);
        Check(m.Here == null && m.Get("player.heat") == null);
        for (int i = 0; i < 5; i++) Hear(m, said.Find("turns").Items[i], true, 1);
        Check(m.Get("player.heat").Number == 0.3 && m.Get("player.hood").Text == "off" && m.Get("player.unset").Kind == Kind.None);
        Same(string.Join(" ", m.Players()), "ada 😀 ～");
        Check(m.Get("ware.store", "tea").Number == 4 && m.Get("ware.have", "tea", "😀").Number == 4 && m.Get("ware.have", "rice").Number == 0);
        Check(!m.Get("prop.chest.open", "red").Truth && m.Get("prop.chest.open", "blue") == null); // which is in another scene
        Check(m.Get("scene.snow", "hall").Number == 2 && m.Get("scene.snow", "pit") == null && m.Get("player.hats") == null && m.Present("😀") && !m.Present("nobody"));
        Same(heard, "0<-@ada 0<-@hall 2<0@hall 0.3<0@ada 0<-@～ 0<-@😀 ");
    }

    static string Became(Outcome o) { return (o.Applied ? "applied" : o.Is == Alluvion.Became.Unknown ? "unknown" : o.Kind) + (o.Repeat ? "!" : "") + " "; }

    static void Asking()
    {
        var said = Vectors("conversations");
        var m = ComeIn(said, true, 40);
        Hear(m, said.Find("turns").Items[0], true, 1);
        var place = Read.Place(m.Get("player.place"));
        string became = "";
        m.Event("open", Value.Object().Set("chest", "red"), o => became += "open:" + Became(o));
        m.Move(place.At, null, o => became += "first:" + Became(o));
        m.Move(place.At, null, o => became += "second:" + Became(o));
        var out_ = m.Outgoing();
        Check(out_.Count == 2 && out_[1].Bytes[0] == 2);
        Same(out_[0].Text, "{\"args\":{\"chest\":\"red\"},\"arrival\":" + place.Arrival + ",\"is\":\"event\",\"name\":\"open\",\"number\":41}");
        m.Received("{\"is\":\"refused\",\"number\":41,\"kind\":\"refused\",\"why\":\"It is locked.\",\"rule\":3}", 1);
        m.Received("{\"is\":\"tick\",\"tick\":90,\"time\":9,\"done\":43}", 2);
        Same(became, "first:replaced open:refused second:applied ");
        bool on = false;
        Check(!m.Saved(43, x => on = x));
        m.Received("{\"is\":\"saved\",\"number\":43}", 2);
        Check(on && m.Saved(43));
        became = "";
        for (int i = 0; i < 257; i++) m.Event("open", null, o => became += Became(o));
        Same(became, "too-many ");
        Check(m.Pending == 256);
    }

    static void ComingBack()
    {
        var said = Vectors("conversations");
        var m = ComeIn(said, false);
        string became = "", troubles = "";
        m.OnTrouble += t => troubles += t.Is;
        Hear(m, said.Find("turns").Items[0], false, 1);
        var at = Read.Place(m.Get("player.place")).At;
        m.Move(at, null, o => became += "first:" + Became(o));
        m.Outgoing();
        m.Move(at, null, o => became += "second:" + Became(o));
        m.Event("open", null, o => became += "open:" + Became(o));
        m.Outgoing();
        m.Lost(1006, 2);
        Check(m.State == State.Lost && m.RetryIn > 0 && m.RetryIn < 0.5);
        m.Opened(m.Protocols[1]);
        m.Outgoing();
        m.Received(Welcome(said.Find("layout"), "ada", 2, true), 4);
        Same(string.Join("", m.Outgoing().Select(x => Json.Canonical(Json.Parse(x.Text).Find("number")))), "23");
        m.Received("{\"is\":\"answer\",\"number\":3,\"repeat\":true}", 4);
        m.Received("{\"is\":\"tick\",\"tick\":91,\"time\":9,\"done\":3}", 5);
        m.Event("open", null, o => became += "lost:" + Became(o));
        bool saved = true;
        m.Saved(4, x => saved = x);
        m.Lost(1001, 6);
        m.Opened(m.Protocols[1]);
        m.Received(Welcome(said.Find("layout"), "ada", 7, false, "r2"), 7);
        m.Received("{\"is\":\"refused\",\"number\":4,\"kind\":\"unknown\",\"why\":\"It is no longer known.\"}", 7);
        Check(!saved);
        m.Event("open", null, o => became += "never:" + Became(o));
        m.Lost(4002, 8);
        m.Event("open", null, o => became += "after:" + Became(o));
        Same(became, "first:unknown open:applied! second:applied lost:unknown never:unknown after:ended ");
        Same(troubles, "rolled-back");
        Check(m.State == State.Ended && m.EndCode == 4002);
    }

    static void AnotherLayout()
    {
        var said = Vectors("everything");
        Func<Machine> begin = () =>
        {
            var b = ComeIn(said, true);
            b.Received("{\"is\":\"fetch\",\"plan\":\"other\",\"layout\":\"/v1/x/layout\"}", 1);
            b.Lost(4001, 1);
            Check(b.State == State.Fetch && b.Fetch == "/v1/x/layout");
            return b;
        };
        string layout = Json.Canonical(said.Find("layout")), names = "";
        var less = begin();
        less.OnTrouble += t => names = string.Join(" ", t.Names);
        less.Learned(layout.Replace("\"name\":\"player.count\"", "\"name\":\"player.hats\""));
        Same(names, "player.count");
        Check(less.State == State.Ended);
        var m = begin();
        m.Learned(layout.Replace(said.Find("layout").Find("plan").Text, "other"));
        m.Opened("");
        Check(m.Outgoing()[0].Text.Contains("\"plan\":\"other\""));
    }

    static void Callbacks()
    {
        var said = Vectors("conversations");
        var m = ComeIn(said, false);
        string states = "", thrown = "";
        m.OnState += s => states += s;
        Action<Told> nested = t =>
        {
            m.Event("open");
            m.Received("{}", 1);
        };
        m.OnTold += nested;
        try
        {
            Hear(m, said.Find("turns").Items[0], false, 1);
        }
        catch (InvalidOperationException e)
        {
            thrown = e.Message;
        }
        Check(thrown.Contains("from a callback"));
        Same(Json.Canonical(m.View()), Json.Canonical(said.Find("turns").Items[0].Find("view")));
        m.OnTold -= nested;
        Check(m.Outgoing().Count == said.Find("turns").Items[0].Find("frame").Find("told").Items.Count);
        m.Advance(20);
        Check(m.Outgoing()[0].Text == "{\"is\":\"ping\"}" && m.Quiet == 19);
        m.Lost(1000, 21);
        Same(states, "Ended");
    }

    static int Main()
    {
        foreach (var test in new Action[] { Digests, Conversations, Motion, Malformed, Reading, Asking, ComingBack, AnotherLayout, Callbacks })
        {
            try
            {
                test();
            }
            catch (Exception e)
            {
                Console.Error.WriteLine(test.Method.Name + ": " + e);
                return 1;
            }
        }
        Console.WriteLine("all well");
        return 0;
    }
}
