import { HttpsManager } from "./https-manager.ts";
import { ImageFolderManager } from "./image-folder-manager.ts";
import type { ManagerAccess, PlatformManager } from "./manager.ts";

export const openManager = (access: ManagerAccess): PlatformManager => (access.kind === "manager" ? new HttpsManager(access) : new ImageFolderManager(access));
