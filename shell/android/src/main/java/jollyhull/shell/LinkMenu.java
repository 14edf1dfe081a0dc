package jollyhull.shell;

import android.app.Activity;
import android.content.ClipData;
import android.content.ClipboardManager;
import android.content.Context;
import android.content.Intent;
import android.view.ContextMenu;
import android.view.MenuItem;
import android.webkit.WebView;

/** What a long touch offers: of a link its address, of a picture the picture. */
final class LinkMenu {
    /** Saves a picture as a download would be. */
    interface Keeper {
        void keep(String url);
    }

    private LinkMenu() {}

    static void fill(
            final Activity activity,
            ShellSettings settings,
            WebView pages,
            ContextMenu menu,
            final Keeper keeper) {
        WebView.HitTestResult hit = pages.getHitTestResult();
        final String address = hit == null ? null : hit.getExtra();
        if (address == null) {
            return;
        }
        int type = hit.getType();
        if (type == WebView.HitTestResult.IMAGE_TYPE
                || type == WebView.HitTestResult.SRC_IMAGE_ANCHOR_TYPE) {
            add(
                    menu,
                    settings.word("saveImage"),
                    new Runnable() {
                        @Override
                        public void run() {
                            keeper.keep(address);
                        }
                    });
        } else if (type == WebView.HitTestResult.SRC_ANCHOR_TYPE) {
            add(
                    menu,
                    settings.word("copyLink"),
                    new Runnable() {
                        @Override
                        public void run() {
                            ClipboardManager clipboard =
                                    (ClipboardManager)
                                            activity.getSystemService(Context.CLIPBOARD_SERVICE);
                            clipboard.setPrimaryClip(ClipData.newPlainText("", address));
                        }
                    });
            add(
                    menu,
                    settings.word("share"),
                    new Runnable() {
                        @Override
                        public void run() {
                            Intent send =
                                    new Intent(Intent.ACTION_SEND)
                                            .setType("text/plain")
                                            .putExtra(Intent.EXTRA_TEXT, address);
                            activity.startActivity(Intent.createChooser(send, null));
                        }
                    });
        }
    }

    private static void add(ContextMenu menu, String name, final Runnable action) {
        menu.add(name)
                .setOnMenuItemClickListener(
                        new MenuItem.OnMenuItemClickListener() {
                            @Override
                            public boolean onMenuItemClick(MenuItem item) {
                                action.run();
                                return true;
                            }
                        });
    }
}
