package jollyhull.shell;

import android.content.Intent;
import android.net.Uri;
import android.os.Bundle;

import java.util.ArrayList;
import java.util.List;

/** What another app shares: a title, a text, files. */
final class Shared {
    /** Null where none was shared. */
    final String title;

    final String text;

    /** Only what another app's provider gives: a file address could name one of this app's own. */
    final ArrayList<Uri> files = new ArrayList<Uri>();

    private Shared(String title, String text, List<Uri> given) {
        this.title = title;
        this.text = text;
        for (Uri uri : given) {
            if ("content".equals(uri.getScheme())) {
                files.add(uri);
            }
        }
    }

    static Shared of(Intent intent) {
        return new Shared(
                Extras.text(intent, Intent.EXTRA_SUBJECT),
                Extras.text(intent, Intent.EXTRA_TEXT),
                Extras.addresses(intent, Intent.EXTRA_STREAM));
    }

    /** As browsers want it told (the custom-tabs protocol's share data). */
    Bundle forBrowser() {
        Bundle bundle = new Bundle();
        bundle.putString(TabsProtocol.SHARING + "TITLE", title);
        bundle.putString(TabsProtocol.SHARING + "TEXT", text);
        if (!files.isEmpty()) {
            bundle.putParcelableArrayList(TabsProtocol.SHARING + "URIS", files);
        }
        return bundle;
    }
}
