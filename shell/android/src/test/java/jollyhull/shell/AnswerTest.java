package jollyhull.shell;

import static org.junit.Assert.assertEquals;

import org.json.JSONArray;
import org.json.JSONObject;
import org.junit.Test;
import org.junit.runner.RunWith;
import org.robolectric.RobolectricTestRunner;
import org.robolectric.annotation.Config;

import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Paths;
import java.util.HashSet;
import java.util.Iterator;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;

/** The vectors that every shell and the program itself run. */
@RunWith(RobolectricTestRunner.class)
@Config(minSdk = 24)
public class AnswerTest {
    private static JSONArray sites() throws Exception {
        byte[] text = Files.readAllBytes(Paths.get("../vectors/answers.json"));
        return new JSONObject(new String(text, StandardCharsets.UTF_8)).getJSONArray("sites");
    }

    private static ShellSettings settings(JSONObject site) throws Exception {
        JSONObject json = TestSite.json(site.getString("base"), site.getBoolean("network"));
        JSONObject packed = json.getJSONObject("packed");
        for (String key : new String[] {"fallback", "except", "headers"}) {
            if (site.has(key)) {
                packed.put(key, site.get(key));
            }
        }
        json.getJSONObject("types").put("pdf", "application/pdf").put("webp", "image/webp");
        return TestSite.parse(json.toString());
    }

    private static String inWords(Answer answer) {
        return answer == Answer.NETWORK
                ? "network"
                : answer == Answer.SLASH
                        ? "slash"
                        : answer == Answer.BARE
                                ? "bare"
                                : answer.status + (answer.path == null ? "" : " " + answer.path);
    }

    @Test
    public void answersAsTheVectorsSay() throws Exception {
        JSONArray sites = sites();
        for (int i = 0; i < sites.length(); i++) {
            JSONObject site = sites.getJSONObject(i);
            Set<String> paths = new HashSet<>();
            JSONArray files = site.getJSONArray("files");
            for (int j = 0; j < files.length(); j++) {
                paths.add(files.getString(j));
            }
            ShellSettings settings = settings(site);
            JSONArray requests = site.getJSONArray("requests");
            for (int j = 0; j < requests.length(); j++) {
                JSONObject request = requests.getJSONObject(j);
                Answer answer =
                        Answer.of(
                                settings,
                                paths::contains,
                                request.optString("method", "GET"),
                                request.getString("path"),
                                request.getBoolean("page"));
                assertEquals(
                        site.getString("name") + ": " + request,
                        request.getString("answer"),
                        inWords(answer));
                if (request.has("headers")) {
                    assertEquals(
                            request.toString(), fields(request), sent(settings, site, request));
                }
            }
        }
    }

    private static Map<String, String> fields(JSONObject request) throws Exception {
        Map<String, String> fields = new TreeMap<>();
        JSONObject wanted = request.getJSONObject("headers");
        for (Iterator<String> names = wanted.keys(); names.hasNext(); ) {
            String name = names.next();
            fields.put(name, wanted.getString(name));
        }
        return fields;
    }

    private static Map<String, String> sent(
            ShellSettings settings, JSONObject site, JSONObject request) throws Exception {
        String path = request.getString("path").substring(site.getString("base").length());
        return new TreeMap<>(settings.headersOf(path));
    }
}
