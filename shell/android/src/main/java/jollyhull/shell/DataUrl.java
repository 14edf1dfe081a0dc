package jollyhull.shell;

import android.util.Base64;
import android.util.Base64InputStream;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;

/**
 * What a {@code data:} address holds (RFC 2397), read bit by bit: the address itself may be as
 * large as the memory allows.
 */
final class DataUrl {
    /** Empty where the address names none. */
    final String type;

    private final String url;
    private final int start;
    private final boolean isBase64;

    private DataUrl(String url, int comma) {
        this.url = url;
        start = comma + 1;
        String head = url.substring("data:".length(), comma);
        isBase64 = head.endsWith(";base64");
        type = head.split(";")[0];
    }

    /** Null where it is none. */
    static DataUrl of(String url) {
        int comma = url.startsWith("data:") ? url.indexOf(',') : -1;
        return comma < 0 ? null : new DataUrl(url, comma);
    }

    InputStream open() {
        InputStream letters = new Letters();
        return isBase64 ? new Base64InputStream(letters, Base64.DEFAULT) : letters;
    }

    /** The bytes behind the comma, with the percent-encoding undone; what is not ASCII in UTF-8. */
    private final class Letters extends InputStream {
        private int next = start;
        private byte[] rest = new byte[0];
        private int done;

        @Override
        public int read(byte[] into, int offset, int length) throws IOException {
            int count = 0;
            while (count < length) {
                int next = read();
                if (next < 0) {
                    return count == 0 ? -1 : count;
                }
                into[offset + count] = (byte) next;
                count++;
            }
            return count;
        }

        @Override
        public int read() throws IOException {
            if (done < rest.length) {
                return rest[done++] & 0xff;
            }
            if (next >= url.length()) {
                return -1;
            }
            char letter = url.charAt(next);
            if (letter == '%' && next + 2 < url.length()) {
                int high = Character.digit(url.charAt(next + 1), 16);
                int low = Character.digit(url.charAt(next + 2), 16);
                if (high >= 0 && low >= 0) {
                    next += 3;
                    return high << 4 | low;
                }
            }
            if (letter < 0x80) {
                next++;
                return letter;
            }
            int point = url.codePointAt(next);
            next += Character.charCount(point);
            rest = new String(Character.toChars(point)).getBytes(StandardCharsets.UTF_8);
            done = 1;
            return rest[0] & 0xff;
        }
    }
}
