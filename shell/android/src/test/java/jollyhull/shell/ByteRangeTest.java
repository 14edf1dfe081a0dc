package jollyhull.shell;

import static org.junit.Assert.assertEquals;
import static org.junit.Assert.assertNull;
import static org.junit.Assert.assertThrows;

import org.junit.Test;

public class ByteRangeTest {
    private static String range(String header, long length) throws Exception {
        ByteRange range = ByteRange.parse(header, length);
        return range == null ? null : range.first + "-" + range.last;
    }

    @Test
    public void resolvesTheFormsOfTheStandard() throws Exception {
        assertEquals("0-99", range("bytes=0-99", 1000));
        assertEquals("500-999", range("bytes=500-", 1000));
        assertEquals("900-999", range("bytes=-100", 1000));
        assertEquals("0-999", range("bytes=-5000", 1000));
        assertEquals("990-999", range("bytes=990-2000", 1000));
    }

    @Test
    public void sendsTheWholeForWhatIsNotOneRange() throws Exception {
        assertNull(range(null, 10));
        assertNull(range("bytes=0-1,3-4", 10));
        assertNull(range("items=0-1", 10));
        assertNull(range("bytes=5-2", 10));
        assertNull(range("bytes=a-b", 10));
    }

    @Test
    public void refusesWhatLiesOutside() {
        assertThrows(ByteRange.Unsatisfiable.class, () -> ByteRange.parse("bytes=10-", 10));
        assertThrows(ByteRange.Unsatisfiable.class, () -> ByteRange.parse("bytes=-0", 10));
        assertThrows(ByteRange.Unsatisfiable.class, () -> ByteRange.parse("bytes=-1", 0));
    }
}
