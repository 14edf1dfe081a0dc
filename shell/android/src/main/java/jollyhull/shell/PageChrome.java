package jollyhull.shell;

import android.graphics.Bitmap;
import android.net.Uri;
import android.os.Message;
import android.view.View;
import android.webkit.GeolocationPermissions;
import android.webkit.JsPromptResult;
import android.webkit.JsResult;
import android.webkit.PermissionRequest;
import android.webkit.ValueCallback;
import android.webkit.WebChromeClient;
import android.webkit.WebView;

import java.util.ArrayList;
import java.util.List;

/**
 * What a page asks of its surroundings. Nothing that the package does not declare is ever granted.
 */
final class PageChrome extends WebChromeClient {
    /** What the activity does for pages. */
    interface Host {
        boolean chooseFiles(ValueCallback<Uri[]> answer, FileChooserParams params);

        boolean openWindow(WebView opener, boolean isPopup, Message result);

        void closeWindow(WebView window);

        void showFull(View view, CustomViewCallback callback);

        void hideFull();

        void progress(int percent);

        void titled();
    }

    private final OutsideLinks links;
    private final AskFlow flow;
    private final PageDialogs dialogs;
    private final Host host;

    /** Address of the page that is shown; asked again each time. */
    private final WebView pages;

    private final ShellSettings settings;

    PageChrome(
            WebView pages,
            ShellSettings settings,
            OutsideLinks links,
            AskFlow flow,
            PageDialogs dialogs,
            Host host) {
        this.pages = pages;
        this.settings = settings;
        this.links = links;
        this.flow = flow;
        this.dialogs = dialogs;
        this.host = host;
    }

    /**
     * Whether one of the app's own pages is shown, and an origin may ask in it: the page's own, or
     * that of a frame which the app names. Of such a frame the engine itself has checked that the
     * page allows it ({@code allow=}, Permissions Policy).
     */
    private boolean mayAsk(Uri origin, boolean asFrame) {
        String shown = pages.getUrl();
        if (shown == null || origin == null) {
            return false;
        }
        Uri page = Uri.parse(shown);
        String asking = OutsideLinks.originOf(origin);
        return links.isOwnPage(page)
                && (OutsideLinks.originOf(page).equals(asking)
                        || (asFrame && settings.frames.contains(asking)));
    }

    @Override
    public void onGeolocationPermissionsShowPrompt(
            final String origin, final GeolocationPermissions.Callback callback) {
        if (!mayAsk(Uri.parse(origin), true)) {
            callback.invoke(origin, false, false);
            return;
        }
        flow.ask(
                "geolocation",
                new AskFlow.Answer() {
                    @Override
                    public void answer(boolean granted) {
                        // Not kept by the engine: the system keeps it, and what the user changes
                        // there counts at once.
                        callback.invoke(origin, granted, false);
                    }
                });
    }

    private static String capabilityOf(String resource) {
        switch (resource) {
            case PermissionRequest.RESOURCE_VIDEO_CAPTURE:
                return "camera";
            case PermissionRequest.RESOURCE_AUDIO_CAPTURE:
                return "microphone";
            case PermissionRequest.RESOURCE_MIDI_SYSEX:
                return "midi";
            case PermissionRequest.RESOURCE_PROTECTED_MEDIA_ID:
                return "encrypted-media";
            default:
                return "";
        }
    }

    @Override
    public void onPermissionRequest(PermissionRequest request) {
        if (!mayAsk(request.getOrigin(), true)) {
            request.deny();
            return;
        }
        askNext(request, 0, new ArrayList<String>());
    }

    /** One question after another; what was granted is given together. */
    private void askNext(
            final PermissionRequest request, final int index, final List<String> granted) {
        String[] resources = request.getResources();
        if (index == resources.length) {
            if (granted.isEmpty()) {
                request.deny();
            } else {
                request.grant(granted.toArray(new String[0]));
            }
            return;
        }
        final String resource = resources[index];
        flow.ask(
                capabilityOf(resource),
                new AskFlow.Answer() {
                    @Override
                    public void answer(boolean isGranted) {
                        if (isGranted) {
                            granted.add(resource);
                        }
                        askNext(request, index + 1, granted);
                    }
                });
    }

    @Override
    public boolean onShowFileChooser(
            WebView view, ValueCallback<Uri[]> answer, FileChooserParams params) {
        return host.chooseFiles(answer, params);
    }

    @Override
    public boolean onCreateWindow(
            WebView view, boolean isDialog, boolean isUserGesture, Message result) {
        return isUserGesture && host.openWindow(view, isDialog, result);
    }

    /** A video without a picture of its own has a clear one, not the engine's grey. */
    @Override
    public Bitmap getDefaultVideoPoster() {
        return Bitmap.createBitmap(1, 1, Bitmap.Config.ARGB_8888);
    }

    @Override
    public void onCloseWindow(WebView window) {
        host.closeWindow(window);
    }

    @Override
    public void onShowCustomView(View view, CustomViewCallback callback) {
        host.showFull(view, callback);
    }

    @Override
    public void onHideCustomView() {
        host.hideFull();
    }

    @Override
    public void onReceivedTitle(WebView view, String title) {
        if (view == pages) {
            host.titled();
        }
    }

    @Override
    public void onProgressChanged(WebView view, int percent) {
        if (view == pages) {
            host.progress(percent);
        }
    }

    /**
     * Who a dialog is from: null for the app's own page on screen, else the host of the frame or
     * window that asks.
     */
    private String asker(WebView view, String url) {
        Uri from = Uri.parse(url == null ? "" : url);
        if (view == pages && mayAsk(from, false)) {
            return null;
        }
        return from.getHost() == null ? OutsideLinks.schemeOf(from) : from.getHost();
    }

    @Override
    public boolean onJsAlert(WebView view, String url, String message, JsResult result) {
        dialogs.alert(asker(view, url), message, result);
        return true;
    }

    @Override
    public boolean onJsConfirm(WebView view, String url, String message, JsResult result) {
        dialogs.confirm(asker(view, url), message, result);
        return true;
    }

    @Override
    public boolean onJsPrompt(
            WebView view, String url, String message, String value, JsPromptResult result) {
        dialogs.prompt(asker(view, url), message, value, result);
        return true;
    }

    @Override
    public boolean onJsBeforeUnload(WebView view, String url, String message, JsResult result) {
        dialogs.leave(message, result);
        return true;
    }
}
