import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.Paths;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.zip.Adler32;

/**
 * Sorts the code of methods so that similar methods are neighbours. The code itself stays the same
 * and deflates to about one percent less. The format leaves this order open (Dalvik executable
 * format, "map_list" and "code_item"); nothing else moves.
 *
 * <p>java OrderCode.java <dex>
 */
public class OrderCode {
    // Offsets in header_item.
    private static final int CHECKSUM = 8;
    private static final int SIGNATURE = 12;
    private static final int AFTER_SIGNATURE = 32;
    private static final int MAP_OFFSET = 0x34;
    private static final int CLASS_COUNT = 0x60;
    private static final int CLASSES_OFFSET = 0x64;

    private static final int CLASS_DEF_SIZE = 32;
    private static final int CLASS_DATA_OFFSET = 24;
    private static final int CODE_ITEMS = 0x2001;

    /** Bytes that are compared at a time: two code units, usually one instruction. */
    private static final int PIECE = 4;

    private static final int UNIT = 2;

    private final byte[] file;
    private final ByteBuffer dex;

    /** Where class data refers to each method's code, as a three-byte LEB128 number. */
    private final Map<Integer, List<Integer>> references = new TreeMap<>();

    private OrderCode(byte[] file) {
        this.file = file;
        dex = ByteBuffer.wrap(file).order(ByteOrder.LITTLE_ENDIAN);
    }

    public static void main(String[] arguments) throws IOException, NoSuchAlgorithmException {
        Path path = Paths.get(arguments[0]);
        Files.write(path, new OrderCode(Files.readAllBytes(path)).ordered());
    }

    private byte[] ordered() throws NoSuchAlgorithmException {
        findReferences();
        List<Integer> offsets = new ArrayList<>(references.keySet());
        List<byte[]> codes = new ArrayList<>();
        int end = endOfCode();
        for (int i = 0; i < offsets.size(); i++) {
            int next = i + 1 < offsets.size() ? offsets.get(i + 1) : end;
            codes.add(Arrays.copyOfRange(file, offsets.get(i), (next + 3) & ~3));
        }
        byte[] out = file.clone();
        int at = offsets.get(0);
        for (int index : order(codes)) {
            byte[] code = codes.get(index);
            System.arraycopy(code, 0, out, at, code.length);
            for (int reference : references.get(offsets.get(index))) {
                out[reference] = (byte) (at & 0x7f | 0x80);
                out[reference + 1] = (byte) (at >> 7 & 0x7f | 0x80);
                out[reference + 2] = (byte) (at >> 14);
            }
            at += code.length;
        }
        sign(out);
        return out;
    }

    private void findReferences() {
        for (int i = 0; i < dex.getInt(CLASS_COUNT); i++) {
            int data =
                    dex.getInt(dex.getInt(CLASSES_OFFSET) + i * CLASS_DEF_SIZE + CLASS_DATA_OFFSET);
            if (data == 0) continue;
            dex.position(data);
            int fields = number() + number();
            int methods = number() + number();
            for (int field = 0; field < fields; field++) {
                number();
                number();
            }
            for (int method = 0; method < methods; method++) {
                number();
                number();
                int reference = dex.position();
                int code = number();
                if (code == 0) continue;
                if (dex.position() - reference != 3) {
                    throw new IllegalStateException(
                            "Code at " + code + " is not named in 3 bytes.");
                }
                references.computeIfAbsent(code, key -> new ArrayList<>()).add(reference);
            }
        }
    }

    /** Where the section after the code begins. */
    private int endOfCode() {
        int map = dex.getInt(MAP_OFFSET);
        int first = -1;
        int end = file.length;
        for (int pass = 0; pass < 2; pass++) {
            for (int i = 0; i < dex.getInt(map); i++) {
                int item = map + 4 + i * 12;
                int offset = dex.getInt(item + 8);
                if (pass == 0 && dex.getShort(item) == CODE_ITEMS) first = offset;
                if (pass == 1 && offset > first) end = Math.min(end, offset);
            }
        }
        return end;
    }

    /** The next unsigned LEB128 number. */
    private int number() {
        int value = 0;
        for (int shift = 0; ; shift += 7) {
            byte part = dex.get();
            value |= (part & 0x7f) << shift;
            if (part >= 0) return value;
        }
    }

    /**
     * Starts with the shortest; next comes the one that shares the largest part of itself with the
     * last.
     */
    private static List<Integer> order(List<byte[]> codes) {
        List<Set<Integer>> pieces = new ArrayList<>();
        int last = 0;
        for (byte[] code : codes) {
            Set<Integer> found = new HashSet<>();
            for (int i = 0; i + PIECE <= code.length; i += UNIT) {
                found.add(ByteBuffer.wrap(code, i, PIECE).getInt());
            }
            pieces.add(found);
            if (found.size() < pieces.get(last).size()) last = pieces.size() - 1;
        }
        List<Integer> order = new ArrayList<>();
        order.add(last);
        boolean[] placed = new boolean[codes.size()];
        placed[last] = true;
        while (order.size() < codes.size()) {
            int best = -1;
            double likest = -1;
            for (int i = 0; i < placed.length; i++) {
                if (placed[i]) continue;
                double likeness = likeness(pieces.get(i), pieces.get(last));
                if (likeness > likest) {
                    likest = likeness;
                    best = i;
                }
            }
            placed[best] = true;
            order.add(best);
            last = best;
        }
        return order;
    }

    private static double likeness(Set<Integer> one, Set<Integer> other) {
        int shared = 0;
        for (int piece : one) {
            if (other.contains(piece)) shared++;
        }
        return shared / (double) (one.size() + PIECE);
    }

    private static void sign(byte[] dex) throws NoSuchAlgorithmException {
        ByteBuffer header = ByteBuffer.wrap(dex).order(ByteOrder.LITTLE_ENDIAN);
        MessageDigest digest = MessageDigest.getInstance("SHA-1");
        digest.update(dex, AFTER_SIGNATURE, dex.length - AFTER_SIGNATURE);
        header.position(SIGNATURE);
        header.put(digest.digest());
        Adler32 checksum = new Adler32();
        checksum.update(dex, SIGNATURE, dex.length - SIGNATURE);
        header.putInt(CHECKSUM, (int) checksum.getValue());
    }
}
