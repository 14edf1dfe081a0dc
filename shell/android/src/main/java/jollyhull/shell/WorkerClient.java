package jollyhull.shell;

import android.webkit.ServiceWorkerClient;
import android.webkit.ServiceWorkerController;
import android.webkit.ServiceWorkerWebSettings;
import android.webkit.WebResourceRequest;
import android.webkit.WebResourceResponse;

/** Answers the requests of service workers, and for their scripts, from the packed pages too. */
final class WorkerClient extends ServiceWorkerClient {
    private final PackedSite site;

    private WorkerClient(PackedSite site) {
        this.site = site;
    }

    static void install(PackedSite site) {
        ServiceWorkerController controller = ServiceWorkerController.getInstance();
        ServiceWorkerWebSettings settings = controller.getServiceWorkerWebSettings();
        settings.setAllowContentAccess(false);
        settings.setAllowFileAccess(false);
        controller.setServiceWorkerClient(new WorkerClient(site));
    }

    @Override
    public WebResourceResponse shouldInterceptRequest(WebResourceRequest request) {
        return site.answer(request.getMethod(), request.getUrl(), request.getRequestHeaders());
    }
}
