package jollyhull.shell;

/** A single byte range of a request (RFC 9110 section 14.1.2), resolved against a length. */
final class ByteRange {
    /** First and last byte, both included. */
    final long first;

    final long last;

    private ByteRange(long first, long last) {
        this.first = first;
        this.last = last;
    }

    /** Thrown where a well-formed range lies outside the length: the answer is 416. */
    static final class Unsatisfiable extends Exception {
        private static final long serialVersionUID = 1L;
    }

    /**
     * The range asked for, or null where there is none that is understood: then the whole is sent.
     */
    static ByteRange parse(String header, long length) throws Unsatisfiable {
        if (header == null || !header.startsWith("bytes=") || header.indexOf(',') >= 0) {
            return null;
        }
        String range = header.substring("bytes=".length()).trim();
        int dash = range.indexOf('-');
        if (dash < 0) {
            return null;
        }
        try {
            String from = range.substring(0, dash);
            String to = range.substring(dash + 1);
            if (from.isEmpty()) {
                long suffix = Long.parseLong(to);
                if (suffix <= 0 || length == 0) {
                    throw new Unsatisfiable();
                }
                return new ByteRange(Math.max(0, length - suffix), length - 1);
            }
            long first = Long.parseLong(from);
            long last = to.isEmpty() ? length - 1 : Math.min(Long.parseLong(to), length - 1);
            if (first >= length) {
                throw new Unsatisfiable();
            }
            return last < first ? null : new ByteRange(first, last);
        } catch (NumberFormatException e) {
            return null;
        }
    }
}
