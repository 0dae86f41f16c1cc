// As decode.mjs. What .NET has for JSON is not everywhere: the peer is the one of the bindings.
using System;
using System.Diagnostics;
using System.Globalization;
using System.IO;
using System.Linq;
using Alluvion;
using Alluvion.Plans;

static class Decode
{
    static double Took(int many, Action of)
    {
        var watch = Stopwatch.StartNew();
        for (int i = 0; i < many; i++) of();
        return watch.Elapsed.TotalMilliseconds / many / 60;
    }

    static int Main()
    {
        var packed = File.ReadAllLines("packed.txt").Select(x => Enumerable.Range(0, x.Length / 2).Select(i => Convert.ToByte(x.Substring(i * 2, 2), 16)).ToArray()).ToArray();
        string[] text = File.ReadAllLines("text.txt");
        string welcome = File.ReadAllText("welcome.txt");
        var m = new Crowd(new Joining { Player = "walker_0", Checks = false });
        Action ours = () =>
        {
            m.Opened(m.Protocols[1]);
            m.Outgoing();
            m.Received(welcome, 0);
            for (int i = 0; i < packed.Length; i++) m.Received(packed[i], i / 10.0);
        };
        Action peer = () => { foreach (var x in text) Json.Parse(x); };
        Took(2, ours);
        Took(2, peer);
        Console.WriteLine(Took(5, ours).ToString(CultureInfo.InvariantCulture) + " " + Took(5, peer).ToString(CultureInfo.InvariantCulture));
        return m.Players().Count == 1000 ? 0 : 1;
    }
}
