package jollyhull.shell;

import android.webkit.WebBackForwardList;
import android.webkit.WebView;

/** Where going back leads, when the page on screen is there in place of another. */
final class PageHistory {
    /** Pages that going back does not stop at. */
    interface Passing {
        boolean passes(String url);
    }

    private PageHistory() {}

    /** How many steps back the nearest page is that is not passed; 0 where there is none. */
    static int stepsBack(WebView pages, Passing passing) {
        WebBackForwardList list = pages.copyBackForwardList();
        int current = list.getCurrentIndex();
        for (int i = current - 1; i >= 0; i--) {
            if (!passing.passes(list.getItemAtIndex(i).getUrl())) {
                return current - i;
            }
        }
        return 0;
    }

    /** The address one step back; null where there is none. */
    static String before(WebView pages) {
        WebBackForwardList list = pages.copyBackForwardList();
        int current = list.getCurrentIndex();
        return current > 0 ? list.getItemAtIndex(current - 1).getUrl() : null;
    }
}
