// As follow.lua: a machine in C# whose messages another program hands on.
using System;
using System.Collections.Generic;
using System.Globalization;
using System.Linq;
using Alluvion;
using Alluvion.Plans;

static class Follow
{
    static Value Counts(Dictionary<string, int> from)
    {
        var all = Value.Object();
        foreach (var x in from) all.Set(x.Key, x.Value);
        return all;
    }

    static void Count(Dictionary<string, int> into, string name) { into[name] = (into.ContainsKey(name) ? into[name] : 0) + 1; }

    static void Main(string[] args)
    {
        Dictionary<string, int> told = new Dictionary<string, int>(), outcomes = new Dictionary<string, int>(), troubles = new Dictionary<string, int>();
        int callbacks = 0, drawn = 0, beliefs = 0, backwards = 0, unsaved = 0, frames = 0, turn = 0, players = 0;
        double now = 0, last = 0;
        string left = "", scene = "";
        var states = Value.List();
        var m = new LanternPass(new Joining { Player = args[0], Packed = args[1] == "packed" });
        m.OnTold += t => Count(told, t.Kind);
        m.OnTrouble += t => Count(troubles, t.Is);
        m.OnState += s => states.Add(s.ToString().ToLowerInvariant());
        m.On("player.place", (value, old, where) => callbacks++);
        Action<Outcome> note = o => Count(outcomes, o.Applied ? "applied" : o.Is == Became.Unknown ? "unknown" : o.Kind);
        for (string line; (line = Console.ReadLine()) != null;)
        {
            string what = line.Split(' ')[0], rest = line.Substring(Math.Min(line.Length, what.Length + 1));
            switch (what)
            {
                case "open":
                    m.Opened(rest);
                    break;
                case "data":
                {
                    frames++;
                    var data = Enumerable.Range(0, rest.Length / 2).Select(i => Convert.ToByte(rest.Substring(i * 2, 2), 16)).ToArray();
                    if (data[0] == 1 || data[0] == 3) m.Received(data, now);
                    else m.Received(System.Text.Encoding.UTF8.GetString(data), now);
                    break;
                }
                case "lost":
                    m.Lost(int.Parse(rest), now);
                    break;
                case "step":
                    now = double.Parse(rest, CultureInfo.InvariantCulture);
                    m.Advance(now);
                    if (m.State != State.In || m.Tick == 0) break;
                    turn++;
                    double time = m.Now(now);
                    if (time < last) backwards++;
                    last = time;
                    drawn += m.Players().Count(id => m.PlaceAt(id, time - 2 / m.Ticks) != null);
                    var size = Read.Numbers(LanternPass.World.Find("scenes").Find(m.Here).Find("size"));
                    m.Move(new[] { size[0] / 2 + Math.Cos(turn / 20.0) * size[0] / 3, size[1] / 2 + Math.Sin(turn / 20.0) * size[1] / 3 }, "south", note);
                    if (turn % 10 == 0)
                        m.Ask.Snowfall(0.1, o =>
                        {
                            note(o);
                            if (o.Applied) m.Saved(o.Number, on => { if (!on && m.State != State.Ended) unsaved++; });
                        });
                    if (turn % 16 == 0) m.Ask.Open(LanternPass.CacheId.UnderLedge, note);
                    break;
                case "leave":
                    players = m.Players().Count;
                    scene = m.Me.Place.Scene;
                    m.Leave(o => left = o.Applied ? "applied" : "not");
                    break;
                case "end":
                    var too = Value.Object();
                    m.Ask.Load(o => too.Set("is", "refused").Set("kind", o.Kind));
                    Console.WriteLine(Json.Canonical(Value.Object().Set("callbacks", callbacks).Set("drawn", drawn).Set("beliefs", beliefs).Set("backwards", backwards).Set("unsaved", unsaved).Set("frames", frames)
                        .Set("players", players).Set("scene", scene).Set("pending", m.Pending).Set("left", left).Set("told", Counts(told)).Set("outcomes", Counts(outcomes)).Set("troubles", Counts(troubles))
                        .Set("states", states).Set("end", Value.Object().Set("code", m.EndCode)).Set("unknownToo", too)));
                    return;
            }
            foreach (var x in m.Outgoing())
            {
                if (x.Text != null && x.Text.Contains("\"is\":\"belief\"")) beliefs++;
                var data = x.Bytes ?? System.Text.Encoding.UTF8.GetBytes(x.Text);
                Console.WriteLine((x.Bytes != null ? "bytes " : "text ") + BitConverter.ToString(data).Replace("-", "").ToLowerInvariant());
            }
            Console.WriteLine(". " + m.State.ToString().ToLowerInvariant());
            Console.Out.Flush();
        }
    }
}
