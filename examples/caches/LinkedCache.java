// The JDK's own map in access order, one for all nodes, without lifetimes; a write puts the new value in place.
// Driven by: vestigo drive TRACE --command 'java LinkedCache.java MOST_ENTRIES'  (docs/drive.md)
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

public class LinkedCache {
    // A request is one flat object in "params": names with texts or numbers. That is all of JSON that is needed here.
    private static final Pattern MEMBER = Pattern.compile("\"(\\w+)\":\\s*(\"(?:[^\"\\\\]|\\\\.)*\"|-?\\d+|true|false)");

    public static void main(String[] arguments) throws IOException {
        int most = Integer.parseInt(arguments[0]);
        Map<String, Long> cache = new LinkedHashMap<>(16, 0.75f, true) {
            @Override
            protected boolean removeEldestEntry(Map.Entry<String, Long> eldest) {
                return size() > most;
            }
        };
        var in = new BufferedReader(new InputStreamReader(System.in, StandardCharsets.UTF_8));
        var out = new PrintStream(System.out, false, StandardCharsets.UTF_8);
        for (String line = in.readLine(); line != null; line = in.readLine()) {
            Map<String, String> request = members(line);
            String result = answer(cache, request);
            out.print("{\"jsonrpc\":\"2.0\",\"id\":" + request.get("id") + ",\"result\":" + result + "}\n");
            out.flush();
        }
    }

    private static String answer(Map<String, Long> cache, Map<String, String> request) {
        String name = request.get("lookup") + " " + request.get("key");
        switch (request.get("method")) {
            case "read":
                if (request.containsKey("fresh")) {
                    cache.remove(name);
                }
                long offered = Long.parseLong(request.get("value"));
                Long held = cache.get(name);
                if (held == null) {
                    cache.put(name, offered); // nulls are kept like values
                }
                return "{\"value\":" + (held == null ? offered : held) + ",\"taken\":" + (held == null) + "}";
            case "write":
                cache.remove(name);
                cache.put(name, Long.parseLong(request.get("value")));
                return "null";
            case "remove":
                cache.remove(name);
                return "null";
            case "clear":
                cache.keySet().removeIf(key -> !request.containsKey("lookup") || key.startsWith(request.get("lookup") + " "));
                return "null";
            case "restart":
                cache.clear();
                return "null";
            default: // begin, end
                return "null";
        }
    }

    private static Map<String, String> members(String line) {
        Map<String, String> found = new LinkedHashMap<>();
        Matcher matcher = MEMBER.matcher(line);
        while (matcher.find()) {
            found.putIfAbsent(matcher.group(1), matcher.group(2));
        }
        found.put("method", found.get("method").replace("\"", ""));
        return found;
    }
}
